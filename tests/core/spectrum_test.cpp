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

TEST_CASE(
    "a long span's ripple is found as a short one's, over noise that rises to low frequencies") {
  // A million samples of a random walk with white noise on it, and a line far up in the spectrum.
  constexpr double kHertz = 217.3, kAmplitude = 4e-4;
  std::mt19937_64 random(8);
  std::normal_distribution<double> normal;
  double walk = 0;
  const auto trace = sampled(1 << 20, 1000, [&](double t) {
    walk += 2e-7 * normal(random);
    return 1e-3 + walk + 5e-5 * normal(random) +
           kAmplitude * std::sin(2 * std::numbers::pi * kHertz * t);
  });
  const auto found = ripple(trace, 0, 1048.576);
  REQUIRE(found);
  REQUIRE(found->frequency_hz);
  CHECK(*found->frequency_hz == Approx(kHertz).margin(1e-3));
  CHECK(found->amplitude == Approx(kAmplitude).epsilon(0.03));
  // The same at the very foot of what is judged each by itself, and just above it.
  for (const double bin : {390.5, 399.6, 400.4, 408.5, 417.0}) {
    const double hertz = bin / 65.536;
    const auto low = sampled(1 << 16, 1000, [&](double t) {
      return 1e-3 + 5e-5 * normal(random) + kAmplitude * std::sin(2 * std::numbers::pi * hertz * t);
    });
    const auto one = ripple(low, 0, 65.536);
    REQUIRE(one);
    REQUIRE(one->frequency_hz);
    CHECK(*one->frequency_hz == Approx(hertz).margin(0.05 / 65.536));
  }
}
