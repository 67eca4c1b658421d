// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/value_step.h"

#include <algorithm>
#include <cmath>

namespace kuvio {

std::optional<double> value_step(std::vector<double> values, std::size_t few) {
  std::sort(values.begin(), values.end());
  std::vector<double> steps;
  for (std::size_t i = 1; i < values.size(); ++i) {
    const double step = values[i] - values[i - 1];
    const double size = std::max(std::fabs(values[i]), std::fabs(values[i - 1]));
    if (step > 1e-12 * size) steps.push_back(step);
  }
  if (steps.size() < std::max<std::size_t>(few, 1)) return std::nullopt;
  const double least = *std::min_element(steps.begin(), steps.end());
  const auto whole = std::count_if(steps.begin(), steps.end(), [&](double step) {
    const double n = step / least;
    return std::fabs(n - std::round(n)) < 0.05 || n > 1e5;  // further apart rounding shows more
  });
  constexpr double kNearlyAll = 0.95;
  return static_cast<double>(whole) >= kNearlyAll * static_cast<double>(steps.size())
             ? std::optional(least)
             : std::nullopt;
}

}  // namespace kuvio
