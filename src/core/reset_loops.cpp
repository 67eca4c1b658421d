// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reset_loops.h"

#include "core/quantiles.h"

#include <cstddef>

namespace kuvio {

std::vector<ResetLoop> loops_among(const std::vector<DeviceStart>& starts) {
  constexpr std::size_t kRounds = 3;
  std::vector<ResetLoop> out;
  for (std::size_t first = 0; first + kRounds <= starts.size();) {
    std::vector<double> between;
    std::size_t last = first;
    while (last + 1 < starts.size() && !starts[last + 1].wanted) {
      const double next = starts[last + 1].at_s - starts[last].at_s;
      if (!between.empty()) {
        const double usual = median(between);
        if (next > 2 * usual || next < usual / 2) break;
      }
      between.push_back(next);
      ++last;
    }
    if (last + 1 - first < kRounds) {
      ++first;
      continue;
    }
    out.push_back({starts[first].at_s, static_cast<int>(last + 1 - first),
                   (starts[last].at_s - starts[first].at_s) / static_cast<double>(last - first)});
    first = last + 1;
  }
  return out;
}

}  // namespace kuvio
