// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace kuvio {

/// The p-th quantile of values, 0 <= p <= 1, on the straight line between order statistics (type 7
/// of Hyndman and Fan 1996): the median of an even number lies between the middle two. Requires at
/// least one value.
double quantile(std::vector<double> values, double p);
/// The same without a copy: the values change places.
double quantile_in_place(std::span<double> values, double p);
inline double median(std::vector<double> values) { return quantile(std::move(values), 0.5); }

/// What order statistics of n values say of the 95th percentile of what they were drawn from,
/// whatever its distribution (Hahn and Meeker 1991, 5.2).
struct PercentileBounds {
  std::optional<double> low;   ///< the percentile lies above with 95 %; nothing: n is too small
  std::optional<double> high;  ///< it lies below with 95 %; nothing below 59 values
};
PercentileBounds p95_bounds(std::vector<double> values);
/// The fewest values whose largest lies above the 95th percentile with 95 %: 59.
inline constexpr std::size_t kNeededForP95 = 59;

}  // namespace kuvio
