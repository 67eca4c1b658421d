// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/noise.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {

/// Rest at 10 uA, a step to 20 mA every second for 100 ms, noise of `sigma` (A) on top.
std::vector<double> steps(double sigma, int n) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal(0, sigma);
  std::vector<double> out;
  for (int i = 0; i < n; ++i) out.push_back((i % 1000 < 100 ? 20e-3 : 10e-6) + normal(random));
  return out;
}

MemoryTrace of(const std::vector<double>& values) {
  MemoryTrace out(SampleKind::averaged, {1, 1000});
  out.append(0, 1, values);
  return out;
}

}  // namespace

TEST_CASE("the noise is found beside steps a thousand times its size") {
  for (const double sigma : {1e-6, 50e-6}) {
    CHECK(quiet_noise(of(steps(sigma, 60'000))) == Approx(sigma).epsilon(0.25));
  }
}

TEST_CASE("a trace without noise has a scale above nothing") {
  CHECK(quiet_noise(of(std::vector<double>(1000, 5e-3))) == Approx(5e-9));
  CHECK(quiet_noise(of(std::vector<double>(1000, 0.0))) > 0);
}
