// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clusters.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <random>

using namespace kuvio;

TEST_CASE("no clusters of so many have less squares than those found") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 40; ++round) {
    const std::size_t n = 1 + random() % 40;
    std::vector<double> values(n), weights(n);
    for (double& v : values) v = std::floor(4 * unit(random)) * 10 + unit(random);
    for (double& w : weights) w = 0.1 + unit(random);
    std::sort(values.begin(), values.end());
    Clusters clusters(values, weights);
    // By trying every place for the last cluster.
    std::vector<std::vector<double>> best(n + 1, std::vector<double>(n + 1, 1e300));
    best[0][0] = 0;
    for (std::size_t k = 1; k <= n; ++k) {
      for (std::size_t to = k; to <= n; ++to) {
        for (std::size_t from = k - 1; from < to; ++from)
          best[k][to] = std::min(best[k][to], best[k - 1][from] + clusters.squares(from, to));
      }
    }
    for (std::size_t k = 1; k <= std::min<std::size_t>(n, 8); ++k) {
      CHECK(clusters.cost(k) == Approx(best[k][n]).margin(1e-9));
      const auto bounds = clusters.bounds(k);
      REQUIRE(bounds.size() == k + 1);
      CHECK(bounds.front() == 0);
      CHECK(bounds.back() == n);
      double sum = 0;
      for (std::size_t c = 0; c < k; ++c) sum += clusters.squares(bounds[c], bounds[c + 1]);
      CHECK(sum == Approx(best[k][n]).margin(1e-9));
    }
  }
}
