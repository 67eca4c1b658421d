// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/step_down.h"

#include <algorithm>
#include <numeric>

namespace kuvio {

std::vector<bool> step_down(const std::vector<double>& p, double level) {
  std::vector<std::size_t> order(p.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::sort(order.begin(), order.end(), [&](auto a, auto b) { return p[a] < p[b]; });
  std::vector<bool> out(p.size(), false);
  for (std::size_t i = 0; i < order.size(); ++i) {
    if (!(p[order[i]] <= level / static_cast<double>(order.size() - i))) break;
    out[order[i]] = true;
  }
  return out;
}

}  // namespace kuvio
