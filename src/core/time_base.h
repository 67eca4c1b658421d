// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <cstdint>

namespace kuvio {

/// An exact count of time: one tick lasts num/den seconds. 48 kHz is {1, 48000}: an hour of it is
/// 172 800 000 ticks, without the drift that rounding the period to nanoseconds would bring.
struct TimeBase {
  std::int64_t num = 1;
  std::int64_t den = 1'000'000'000;

  /// Ticks to seconds from the capture's start (s).
  double seconds(std::int64_t ticks) const {
    return static_cast<double>(static_cast<long double>(ticks) * num / den);
  }
  /// Seconds to a fractional count of ticks. A double that is as near to a whole tick as its own
  /// rounding can tell is taken to be that tick (0.3 s of 1 ms ticks is 300, not 299.99…).
  long double ticks(double seconds) const {
    const long double t = static_cast<long double>(seconds) * den / num;
    const long double whole = std::round(t);
    const long double rounding = std::fabs(t) * 4.5e-16L;
    return std::fabs(t - whole) <= rounding ? whole : t;
  }
  /// Length of one tick (s).
  double tick_s() const { return static_cast<double>(num) / static_cast<double>(den); }

  bool operator==(const TimeBase&) const = default;
};

}  // namespace kuvio
