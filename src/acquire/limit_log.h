// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/capture_writer.h"
#include "core/limit_watch.h"

#include <functional>
#include <span>
#include <string>

namespace kuvio::acquire {

/// What an output's limit does to the current of a recording: marked in the capture each time,
/// reported once in words.
class LimitLog {
public:
  /// `limit`: A, more than nothing.
  explicit LimitLog(double limit) : watch_(limit) {}

  std::function<void(const std::string&)> report;

  /// Samples of the current, `step_s` apart from `from_s` of the capture on.
  void watch(double from_s, double step_s, std::span<const double> values,
             book::CaptureWriter& writer);
  /// Says how often it was in all.
  void finish() const;

private:
  LimitWatch watch_;
  std::int64_t times_ = 0;
  double length_s_ = 0;
  bool loop_reported_ = false;
};

}  // namespace kuvio::acquire
