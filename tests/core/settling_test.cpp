// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/settling.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

/// When it first says steady, fed at 100 /s; nothing within `most` seconds.
template <typename Value>
std::optional<double> settles(SteadyWatch watch, Value value, double most = 100) {
  for (int i = 0; i < most * 100; ++i) {
    watch.add(i / 100.0, value(i / 100.0));
    if (watch.steady()) return i / 100.0;
  }
  return std::nullopt;
}

}  // namespace

TEST_CASE("what decays is steady once the rest of the decay is within the tolerance") {
  const auto decay = [](double t) { return 3e-6 + 20e-6 * std::exp(-t / 4); };
  const auto at = settles(SteadyWatch(2, 0.05, 0), decay);
  REQUIRE(at);
  // Over two seconds and their eighths: the model's own answer.
  double exact = 2;
  const auto mean = [&](double a) {
    return 3e-6 + 20e-6 * 16 * (std::exp(-a / 4) - std::exp(-(a + 0.25) / 4));
  };
  while (mean(exact - 2) - mean(exact - 0.25) > 0.05 * (mean(exact - 2) + mean(exact - 0.25)) / 2)
    exact += 0.25;
  CHECK(*at == Approx(exact).margin(0.3));
  CHECK(*settles(SteadyWatch(2, 0, 40e-6), decay) ==
        Approx(2).margin(0.02));  // at once, a window long
}

TEST_CASE("noise that averages out does not keep it from being steady, a drift does") {
  std::mt19937 random(5);
  std::normal_distribution<double> noise(0, 0.05);
  CHECK(settles(SteadyWatch(4, 0.1, 0), [&](double) { return 1 + noise(random); }));
  CHECK_FALSE(settles(
      SteadyWatch(4, 0.01, 0), [](double t) { return 1 + t / 100; }, 50));
  // In bursts once a second: steady by the window, not by the sample.
  CHECK(
      settles(SteadyWatch(8, 0.01, 0), [](double t) { return std::fmod(t, 1) < 0.1 ? 1.0 : 0.1; }));
}

TEST_CASE("a silence begins the window anew") {
  SteadyWatch watch(1, 0.01, 0);
  for (int i = 0; i < 99; ++i) watch.add(i / 100.0, 1);
  watch.add(5, 1);
  CHECK_FALSE(watch.steady());
  CHECK_FALSE(watch.spread());
  for (int i = 1; i < 115; ++i) watch.add(5 + i / 100.0, 1);
  CHECK(watch.steady());
  CHECK(*watch.mean() == 1);
}

TEST_CASE("a piece that was joined midway is no eighth of the window") {
  SteadyWatch watch(8, 0.01, 0);
  double told = -1;
  for (double t = 0.94; t < 20 && told < 0; t += 0.02) {
    watch.add(t, t < 1 ? 5 : 1);  // the first sixteenth of a second was another level
    if (watch.mean()) told = t;
  }
  CHECK(told == Approx(9).margin(0.03));  // eight whole seconds from 1 s on
  CHECK(*watch.mean() == Approx(1));
}
