// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/settled_level.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>
#include <vector>

using namespace kuvio;

namespace {

/// A stay of 3200 samples of a millisecond: 1 uA, and `height` times that which decays with a time
/// constant of so much of the stay; noise of single samples as a share of the level.
MemoryTrace decaying(std::mt19937_64& chance, double height, double tau, double noise) {
  std::normal_distribution<double> z;
  std::vector<double> values;
  for (int i = 0; i < 3200; ++i)
    values.push_back(1e-6 * (1 + height * std::exp(-(i + 0.5) / 3200 / tau) + noise * z(chance)));
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, values);
  return trace;
}

const Visit kStay{"Sleep", 0, 3.2, true};

}  // namespace

TEST_CASE("the settled level is not lifted by a visit's edges") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(1600, 3e-6);
  for (std::size_t i = 0; i < 100; ++i) values[i] = 150e-6;
  for (std::size_t i = 0; i < values.size(); ++i) values[i] += (i % 7) * 1e-9;
  trace.append(0, 1, values);
  const auto settled = settled_level(trace, {"Sleep", 0, 1.6, true});
  REQUIRE(settled);
  CHECK(settled->level == Approx(3.003e-6).epsilon(1e-3));
  REQUIRE(settled->u);
  CHECK(*settled->u < 0.01e-6);
}

TEST_CASE("the settled level of a decaying current is right within its uncertainty") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  for (const double tau : {0.033, 0.1, 0.2, 0.33, 0.5}) {
    for (const double height : {0.1, 1.0, 10.0, 100.0}) {
      for (const double noise : {0.0, 0.004, 0.04, 0.4}) {
        int inside = 0;
        constexpr int kRuns = 60;
        for (int i = 0; i < kRuns; ++i) {
          const auto s = settled_level(decaying(chance, height, tau, noise), kStay);
          REQUIRE(s);
          inside += std::fabs(s->level - 1e-6) <= 2 * s->u.value() + 1e-11;
        }
        INFO("seed " << seed << ", " << height << " times the level, time constant " << tau
                     << ", noise " << noise);
        // 95 % of 60 is 57; where the drift hides in the noise a little less.
        CHECK(inside >= 50);
      }
    }
  }
}

TEST_CASE("a level without drift is its mean, as well known as its noise lets it") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  int inside = 0;
  double u = 0;
  for (int i = 0; i < 200; ++i) {
    const auto s = settled_level(decaying(chance, 0, 0.1, 0.4), kStay);
    inside += std::fabs(s->level - 1e-6) <= 2 * s->u.value();
    u += s->u.value() / 200;
  }
  INFO("seed " << seed);
  CHECK(inside >= 184);
  CHECK(u < 4 * 0.4e-6 / std::sqrt(3200.0));  // of a plain mean it would be one; a drift could hide
}

TEST_CASE("short stays, steps at the end and a single mean have a level too") {
  MemoryTrace few(SampleKind::averaged, {1, 1000});
  few.append(0, 1, std::vector<double>{1e-6, 1.1e-6, 0.9e-6, 1e-6, 1e-6});
  CHECK(settled_level(few, {"Sleep", 0, 0.005, true})->level == Approx(1e-6).epsilon(0.05));
  const std::vector<double> one{4.0};
  CHECK(settled_of(one).level == 4);
  CHECK_FALSE(settled_of(one).u);  // one mean does not say how well it is known
  CHECK_FALSE(settled_level(few, {"Sleep", 0, 0.005, true})->u);
  std::vector<double> step(16, 1.0);
  for (std::size_t i = 12; i < 16; ++i) step[i] = 5;
  for (std::size_t i = 0; i < 16; ++i) step[i] += 0.001 * static_cast<double>(i * 7 % 5);
  CHECK(settled_of(step).level == Approx(1).epsilon(0.01));
}
