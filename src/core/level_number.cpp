// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/level_number.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <vector>

namespace kuvio {
namespace {

constexpr std::size_t kMostLevels = 12;
constexpr double kInfinity = std::numeric_limits<double>::infinity();

/// The logarithm of the likelihood of a cluster's `n` stretches, whose squares about their mean sum
/// up to `squares`, over all the means and variances that it may have: a mean anywhere in `range`,
/// a variance that is mostly a fifth of the noise's, as far as few visits can tell (normal and
/// inverse chi-squared, of four degrees of freedom; Gelman et al. 2013, 3.3), and at least a tenth.
double evidence(double n, double squares, double range) {
  constexpr double kFreedom = 4, kVariance = 0.2, kLeast = 0.1;
  const double before = kFreedom * kVariance, half = (kFreedom + n - 1) / 2;
  return std::lgamma(half) - std::lgamma(kFreedom / 2) + kFreedom / 2 * std::log(before) -
         half * std::log(before + squares + kLeast * n) - (n - 1) / 2 * std::log(std::numbers::pi) -
         std::log(n) / 2 - std::log(range);
}

}  // namespace

std::size_t number_of_levels(Clusters& clusters, std::size_t stretches) {
  constexpr double kNormalUpTo = 15, kCost = 0.75;
  const double n = static_cast<double>(stretches);
  const std::size_t all = clusters.size();
  const double range = std::max(10.0, clusters.mean(all - 1, all) - clusters.mean(0, 1));
  const double penalty = kCost + 2 * std::log(std::max(1.0, n / kNormalUpTo));
  std::size_t best = 1;
  double most = -kInfinity;
  for (std::size_t k = 1; k <= std::min(kMostLevels, all); ++k) {
    clusters.cost(k);
    const std::vector<std::size_t> bounds = clusters.bounds(k);
    const double states = static_cast<double>(k);
    double sum = std::lgamma(states) - std::lgamma(n + states) - penalty * states;
    for (std::size_t c = 0; c < k; ++c) {
      const double in = static_cast<double>(bounds[c + 1] - bounds[c]);
      sum += std::lgamma(in + 1) + evidence(in, clusters.squares(bounds[c], bounds[c + 1]), range);
    }
    if (sum <= most) continue;
    most = sum;
    best = k;
  }
  return best;
}

}  // namespace kuvio
