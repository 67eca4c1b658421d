// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/spectrum.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <numbers>

using namespace kuvio;

namespace {

MemoryTrace sampled(std::size_t n, double rate, const std::function<double(double)>& f) {
  MemoryTrace out(SampleKind::instant, {1, static_cast<std::int64_t>(rate)});
  std::vector<double> v(n);
  for (std::size_t i = 0; i < n; ++i) v[i] = f(static_cast<double>(i) / rate);
  out.append(0, 1, v);
  return out;
}

}  // namespace

TEST_CASE("there and back is n times what it was") {
  std::mt19937_64 random(1);
  std::normal_distribution<double> normal;
  for (const std::size_t n : {1U, 2U, 7U, 64U, 1000U}) {
    std::vector<double> v(n);
    for (double& x : v) x = normal(random);
    const auto back = transform_back(transform(v), n);
    for (std::size_t i = 0; i < n; ++i)
      CHECK(back[i] / static_cast<double>(n) == Approx(v[i]).margin(1e-12));
  }
}

TEST_CASE("the dominant ripple has its frequency and amplitude, beside trend and noise") {
  std::mt19937_64 random(3);
  std::normal_distribution<double> noise(0, 2e-5);
  for (const double hertz : {47.3, 312.5, 1250.0, 3999.0}) {
    const auto trace = sampled(20'000, 10'000, [&](double t) {
      return 3e-3 + 1e-4 * t + 1e-4 * std::sin(2 * std::numbers::pi * hertz * t) + noise(random);
    });
    const auto r = ripple(trace, 0.1, 1.9);
    REQUIRE(r);
    REQUIRE(r->frequency_hz);
    CHECK(*r->frequency_hz == Approx(hertz).margin(r->resolution_hz / 4));
    CHECK(r->amplitude == Approx(1e-4).epsilon(0.05));
    CHECK(r->peak_to_peak > 2e-4);
    CHECK(r->peak_to_peak < 6e-4);
  }
}

TEST_CASE("noise alone has no ripple, a few samples have no spectrum") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> noise(1, 0.1);
  int found = 0;
  for (int i = 0; i < 200; ++i) {
    const auto trace = sampled(3000, 1000, [&](double) { return noise(random); });
    const auto r = ripple(trace, 0, 3);
    REQUIRE(r);
    if (r->frequency_hz) ++found;
  }
  CHECK(found <= 2);
  CHECK_FALSE(ripple(sampled(12, 1000, [](double t) { return t; }), 0, 1));
  const auto flat = ripple(sampled(500, 1000, [](double) { return 2.0; }), 0, 1);
  REQUIRE(flat);
  CHECK_FALSE(flat->frequency_hz);
  CHECK(flat->peak_to_peak == 0);
}

TEST_CASE(
    "noise that rises towards low frequencies is no ripple either, nor is a short piece of it") {
  std::mt19937_64 random(9);
  std::normal_distribution<double> normal;
  for (const double phi : {0.0, 0.9, 0.999, 1.0}) {
    int found = 0;
    for (int i = 0; i < 500; ++i) {
      double x = 0;
      const auto trace = sampled(i % 2 ? 1000 : 100, 1000, [&](double) {
        x = phi * x + normal(random);
        return x;
      });
      const auto r = ripple(trace, 0, 1);
      found += r && r->frequency_hz ? 1 : 0;
    }
    INFO("phi " << phi);
    CHECK(found <= 3);
  }
}
