// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

namespace kuvio {

/// On which sides a figure is open. Over-range samples make charge, mean and peak lower bounds
/// (shown ≥), samples below range upper bounds (≤); with both, neither side is bounded.
struct Bounds {
  bool lower = false;  ///< the truth may lie higher
  bool upper = false;  ///< the truth may lie lower

  bool any() const { return lower || upper; }
  /// Of what falls as the figure rises (a life, as its current rises).
  Bounds mirrored() const { return {upper, lower}; }
  Bounds& operator|=(const Bounds& o) {
    lower |= o.lower;
    upper |= o.upper;
    return *this;
  }
  bool operator==(const Bounds&) const = default;
};

/// outside: of an upper or a lower limit.
enum class Verdict { within, outside, too_close, no_data };
std::string_view to_string(Verdict verdict);

/// Verdict on a 95 % interval [low, high] against an upper limit (JCGM 106:2012): within if all of
/// it keeps the limit, outside if none of it does, else too close. Never within on an open side,
/// nor outside where the truth may lie on the limit's good side.
Verdict judge_upper(double low, double high, double limit, Bounds bounds = {});
/// Mirrored for a lower limit.
Verdict judge_lower(double low, double high, double limit, Bounds bounds = {});
/// The worse of two, in the order outside, no data, too close, within.
Verdict worse(Verdict a, Verdict b);

}  // namespace kuvio
