// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/limited_stretches.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {

/// A sample a millisecond.
MemoryTrace current(const std::vector<double>& values) {
  MemoryTrace out(SampleKind::averaged, {1, 1000});
  out.append(0, 1, values);
  return out;
}

}  // namespace

TEST_CASE("a device that browns out at the limit: each time, and its rounds") {
  std::vector<double> i(100000, 20e-6);
  for (std::size_t round = 0; round < 5; ++round) {
    const std::size_t at = 40000 + round * 1200;
    for (std::size_t k = 0; k < 30; ++k) i[at + k] = 0.4;  // held
    for (std::size_t k = 30; k < 80; ++k) i[at + k] = 0;   // fallen
    for (std::size_t k = 80; k < 1200; ++k) i[at + k] = 15e-3;
  }
  for (std::size_t k = 80000; k < 80050; ++k) i[k] = 0.395;  // held, and goes on
  for (std::size_t k = 80050; k < 80500; ++k) i[k] = 0.2;
  i[90000] = 0.4;  // one sample alone only touches it
  const LimitedTrace found = limited_in(current(i), 0.4);
  REQUIRE(found.stretches.size() == 6);
  CHECK(found.stretches[0].from_s == Approx(40.0));
  CHECK(found.stretches[0].to_s == Approx(40.03));
  CHECK(found.stretches[5].from_s == Approx(80.0));
  CHECK(found.stretches[5].to_s == Approx(80.05));
  REQUIRE(found.rounds.size() == 5);
  CHECK(found.rounds[4] == Approx(44.8));
  CHECK(limited_in(current(i), 0.5).stretches.empty());
}

TEST_CASE("held up to a gap ends there, and what comes after it does not go on from before") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, std::vector<double>(100, 0.5));
  trace.append(5000, 1, std::vector<double>(100, 0.0));
  const LimitedTrace found = limited_in(trace, 0.5);
  REQUIRE(found.stretches.size() == 1);
  CHECK(found.stretches[0].to_s == Approx(0.1));
  CHECK(found.rounds.empty());
}

TEST_CASE("reading only near the limit finds what watching every sample finds") {
  const unsigned seed = std::random_device{}();
  CAPTURE(seed);
  std::mt19937_64 rng(seed);
  std::size_t stretches = 0, rounds = 0;
  for (int round = 0; round < 60; ++round) {
    std::vector<double> i;
    while (i.size() < 150000) {
      const double levels[] = {0, 1e-6, 5e-3, 0.1, 0.2};
      const std::size_t length = 1 + rng() % (1ULL << (rng() % 15));
      i.insert(i.end(), length, levels[rng() % 5]);
    }
    const LimitedTrace found = limited_in(current(i), 0.2);
    LimitWatch watch(0.2);
    LimitedTrace wanted;
    for (std::size_t k = 0; k <= i.size(); ++k) {
      watch.sample(static_cast<double>(k) / 1000, k < i.size() ? i[k] : -1);
      if (const auto held = watch.take_limited()) wanted.stretches.push_back(*held);
      if (const auto at = watch.take_round()) wanted.rounds.push_back(*at);
    }
    REQUIRE(found.stretches.size() == wanted.stretches.size());
    for (std::size_t k = 0; k < found.stretches.size(); ++k) {
      CHECK(found.stretches[k].from_s == Approx(wanted.stretches[k].from_s));
      CHECK(found.stretches[k].to_s == Approx(wanted.stretches[k].to_s));
    }
    REQUIRE(found.rounds == wanted.rounds);
    stretches += found.stretches.size();
    rounds += found.rounds.size();
  }
  CHECK(stretches > 100);
  CHECK(rounds > 20);
}
