// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/noise.h"

#include "core/quantiles.h"

#include <algorithm>
#include <cmath>

namespace kuvio {

double noise_of_steps(std::span<const double> values) {
  constexpr double kMedianStep = 0.95387255;  // 0.6745 sqrt(2)
  std::vector<double> steps;
  for (std::size_t k = 1; k < values.size(); ++k)
    steps.push_back(std::fabs(values[k] - values[k - 1]));
  return median(steps) / kMedianStep;
}

double quiet_noise(const Trace& trace) {
  constexpr std::int64_t kStretches = 32, kLength = 64;
  const std::int64_t total = trace.samples();
  double largest = 0;
  std::vector<double> noises;
  for (const Block& block : trace.blocks()) {
    const std::int64_t share =
        std::clamp<std::int64_t>(total > 0 ? kStretches * block.count / total : 1, 1, kStretches);
    for (std::int64_t i = 0; i < share && noises.size() < 2 * kStretches; ++i) {
      const std::int64_t n = std::min(kLength, block.count);
      const std::int64_t at =
          share > 1 ? (block.count - n) / (share - 1) * i : (block.count - n) / 2;
      std::vector<double> v(static_cast<std::size_t>(n));
      trace.read(block, at, v);
      for (const double x : v) largest = std::max(largest, std::fabs(x));
      if (v.size() > 8) noises.push_back(noise_of_steps(v));
    }
  }
  const double quiet = noises.empty() ? 0 : quantile(noises, 0.25);
  return std::max({quiet, largest * 1e-6, 1e-15});
}

}  // namespace kuvio
