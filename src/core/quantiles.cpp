// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantiles.h"

#include <boost/math/distributions/binomial.hpp>

#include <algorithm>
#include <cmath>

namespace kuvio {

double quantile(std::vector<double> values, double p) { return quantile_in_place(values, p); }

double quantile_in_place(std::span<double> values, double p) {
  const double at = p * static_cast<double>(values.size() - 1);
  const auto i = static_cast<std::ptrdiff_t>(at);
  constexpr std::size_t kFew = 16;  // these are sorted as fast as parted
  if (values.size() <= kFew) {
    std::sort(values.begin(), values.end());
  } else {
    std::nth_element(values.begin(), values.begin() + i, values.end());
  }
  const double below = values[static_cast<std::size_t>(i)];
  const double share = at - static_cast<double>(i);
  if (share <= 0) return below;
  return below + share * (*std::min_element(values.begin() + i + 1, values.end()) - below);
}

PercentileBounds p95_bounds(std::vector<double> values) {
  PercentileBounds out;
  std::sort(values.begin(), values.end());
  const auto n = values.size();
  if (n == 0) return out;
  // Bin(n, 0.95) counts the values that lie below the percentile.
  const boost::math::binomial below(static_cast<double>(n), 0.95);
  const auto at_least = [&](std::size_t k) {  // P(at least k of them lie below)
    return k == 0 ? 1.0 : cdf(complement(below, static_cast<double>(k) - 1));
  };
  for (std::size_t k = 1; k <= n; ++k) {
    if (at_least(k) >= 0.95) out.low = values[k - 1];
    if (at_least(k) <= 0.05) {
      out.high = values[k - 1];
      break;
    }
  }
  return out;
}

}  // namespace kuvio
