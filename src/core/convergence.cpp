// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/convergence.h"

#include "core/cycles.h"
#include "core/uncertainty.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace kuvio {
namespace {
constexpr double kStep = 1.03;  // from one number of cycles to the next that is looked at
}

std::optional<std::size_t> Convergence::within(double share) const {
  std::optional<std::size_t> out;
  for (auto it = steps.rbegin(); it != steps.rend(); ++it) {
    if (!(it->U <= share * std::fabs(it->mean))) break;
    out = it->cycles;
  }
  return out;
}

Convergence convergence_of(const std::vector<VisitFigures>& visits, const std::string& state) {
  const auto [periods, charges] = sums_of_cycles(visits, state);
  Convergence out;
  for (std::size_t n = 2; n <= periods.size();) {
    const Repeatability mean =
        ratio_of_sums(std::span(charges).first(n), std::span(periods).first(n));
    out.steps.push_back({n, mean.mean, student_t(mean.freedom) * mean.u});
    const auto next = std::max(n + 1, static_cast<std::size_t>(static_cast<double>(n) * kStep));
    n = n < periods.size() ? std::min(next, periods.size()) : periods.size() + 1;
  }
  return out;
}

}  // namespace kuvio
