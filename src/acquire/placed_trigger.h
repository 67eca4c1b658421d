// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/trigger.h"
#include "book/book.h"

#include <memory>
#include <optional>
#include <vector>

namespace kuvio::acquire {

class InputTrack;
struct Packet;

using Tracks = std::vector<std::unique_ptr<InputTrack>>;

/// A trigger, and which channel of which input it looks at.
class PlacedTrigger {
public:
  explicit PlacedTrigger(const Trigger& trigger) : watch_(trigger) {}

  /// Finds its channel: the one of its name, or of a level without a name the first current.
  /// `channels`: the capture's, as the tracks have added theirs. Error (usage) when there is none,
  /// or no device log for one that waits for a line.
  void place(const Tracks& tracks, const std::vector<book::ChannelInfo>& channels, bool has_log);

  bool wanted() const { return watch_.wanted(); }
  bool waits_for_line() const { return watch_.trigger().kind == Trigger::Kind::log_line; }
  std::optional<double> happened_at() const { return watch_.happened_at(); }  ///< s of the axis
  /// The input it looks at; null for one that waits for a line.
  const InputTrack* track() const { return track_; }

  /// Shows it a packet of `track`, calibrated as its channel is; anything but its own is passed
  /// over.
  void look(const InputTrack& track, const Packet& packet, const InputTrack& axis);
  void line(double t, const std::string& text) { watch_.line(t, text); }
  void force(double t) { watch_.force(t); }

private:
  TriggerWatch watch_;
  const InputTrack* track_ = nullptr;
  std::size_t column_ = 0, line_ = 0;
  book::Calibration calibration_;
};

}  // namespace kuvio::acquire
