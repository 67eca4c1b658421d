// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/device_log.h"
#include "acquire/placed_trigger.h"

#include <functional>
#include <vector>

namespace kuvio::acquire {

/// Waits for what a capture is armed with, and keeps what came shortly before it in memory.
class ArmedWait {
public:
  static constexpr double kMostLag = 60;        // s that inputs may lie apart
  static constexpr std::size_t kLines = 10000;  // of the device that are kept

  /// `before_s`: how much of what was before is to be in the capture.
  ArmedWait(const Trigger& trigger, double before_s) : trigger_(trigger), before_s_(before_s) {}

  bool wanted() const { return trigger_.wanted(); }
  PlacedTrigger& trigger() { return trigger_; }
  std::optional<double> happened_at() const { return trigger_.happened_at(); }

  /// Takes what has come of samples, the first track's clock being the axis.
  void look(const Tracks& tracks);
  /// The same of the device's lines; `axis_of_host` lays their arrival on the axis.
  void look(std::vector<DeviceLine> lines, const std::function<double(double)>& axis_of_host);
  /// Forgets what cannot be in the capture any more. Only once all that has come was looked at:
  /// after a pause much comes in one go, and what the capture begins with may lie at the beginning
  /// of it.
  void forget(const Tracks& tracks) const;
  /// It has happened: the tracks begin where the capture does. Where in the capture it happened
  /// (s).
  double release(const Tracks& tracks) const;
  /// Lines that came while it waited.
  const std::vector<DeviceLine>& lines() const { return lines_; }

private:
  PlacedTrigger trigger_;
  double before_s_;
  std::vector<DeviceLine> lines_;
};

}  // namespace kuvio::acquire
