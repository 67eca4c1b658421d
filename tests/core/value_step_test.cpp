// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/value_step.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

TEST_CASE("what was digitised shows its step, whatever is added to it") {
  std::mt19937_64 random(std::random_device{}());
  std::normal_distribution<double> noise;
  for (const double offset : {0.0, -3.7e-6, 1e-3}) {
    std::vector<double> values, smooth;
    for (int i = 0; i < 5000; ++i) {
      const double level = i % 100 < 90 ? 3e-6 : 5e-3;
      values.push_back(1e-6 * std::round((level + 2e-6 * noise(random)) / 1e-6) + offset);
      smooth.push_back(level + 2e-6 * noise(random));
    }
    REQUIRE(value_step(values));
    CHECK(*value_step(values) == Approx(1e-6).epsilon(1e-6));
    CHECK_FALSE(value_step(smooth));
  }
}

TEST_CASE("a few values tell of no step") {
  const std::vector<double> five{1, 2, 3, 5, 8, 8, 1, 5};
  CHECK_FALSE(value_step(five));
  CHECK(value_step(five, 4) == std::optional(1.0));
  CHECK_FALSE(value_step(five, 5));
  CHECK_FALSE(value_step({}, 0));
  CHECK_FALSE(value_step({7, 7, 7}, 0));
}
