// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <cstdint>
#include <utility>

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
  /// rounding can show is taken to be that tick (0.3 s of 1 ms ticks is 300, not 299.99…).
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

/// The time base whose tick is nearest to `tick_s` (s, more than nothing): the last convergent of
/// its continued fraction that fits. Better than a double can resolve for ticks of 1 ns and more.
inline TimeBase nearest_time_base(long double tick_s) {
  constexpr long double kMost = 4e18L;
  std::int64_t num = 1, den = 0, last_num = 0, last_den = 1;
  long double rest = tick_s;
  for (int i = 0; i < 64; ++i) {
    const long double whole = std::floor(rest);
    if (whole * num + last_num > kMost || whole * den + last_den > kMost) break;
    const auto n = static_cast<std::int64_t>(whole);
    last_num = std::exchange(num, n * num + last_num);
    last_den = std::exchange(den, n * den + last_den);
    const long double error = std::fabs(static_cast<long double>(num) / den - tick_s);
    if (rest == whole || (num > 0 && error < tick_s * 1e-18L)) break;
    rest = 1 / (rest - whole);
  }
  return {num, den};
}

}  // namespace kuvio
