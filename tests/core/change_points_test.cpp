// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/change_points.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {

double squares(const std::vector<WeightedPoint>& p, std::size_t from, std::size_t to) {
  double w = 0, s = 0, q = 0;
  for (std::size_t i = from; i < to; ++i) {
    w += p[i].weight;
    s += p[i].weight * p[i].y;
    q += p[i].weight * p[i].y * p[i].y;
  }
  return q - s * s / w;
}

/// The cost of a partition, and the least there is, by trying all last changes.
double cost_of(const std::vector<WeightedPoint>& p, const std::vector<std::size_t>& begins,
               double penalty) {
  double out = 0;
  for (std::size_t k = 0; k < begins.size(); ++k)
    out += squares(p, begins[k], k + 1 < begins.size() ? begins[k + 1] : p.size()) +
           (k > 0 ? penalty : 0);
  return out;
}
double least_cost(const std::vector<WeightedPoint>& p, double penalty) {
  std::vector<double> best(p.size() + 1);
  best[0] = -penalty;
  for (std::size_t t = 1; t <= p.size(); ++t) {
    best[t] = 1e300;
    for (std::size_t s = 0; s < t; ++s)
      best[t] = std::min(best[t], best[s] + penalty + squares(p, s, t));
  }
  return best.back();
}

}  // namespace

TEST_CASE("no partition costs less than the one that is found") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::normal_distribution<double> noise;
  for (int round = 0; round < 60; ++round) {
    std::vector<WeightedPoint> points;
    double level = 0;
    for (std::size_t n = 1 + random() % 150; n > 0; --n) {
      if (random() % 12 == 0) level = static_cast<double>(random() % 20);
      const double weight = round % 2 ? 1 : static_cast<double>(1 + random() % 300);
      points.push_back({level + noise(random) / std::sqrt(weight), weight, 0, 0});
    }
    const double penalty = 1 + static_cast<double>(random() % 40);
    std::vector<std::size_t> begins;
    REQUIRE(Partition(penalty).cut(points, begins, [](std::size_t) { return true; }));
    REQUIRE(begins.front() == 0);
    CHECK(cost_of(points, begins, penalty) ==
          Approx(least_cost(points, penalty)).epsilon(1e-9).margin(1e-9));
  }
}

TEST_CASE("a partition gives up when it is told to") {
  std::vector<WeightedPoint> points(10, {1, 1, 0, 0});
  std::vector<std::size_t> begins;
  CHECK_FALSE(Partition(5).cut(points, begins, [](std::size_t) { return false; }));
}
