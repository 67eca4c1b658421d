// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/supply_dips.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

/// A sample a millisecond.
MemoryTrace voltage(const std::vector<double>& values, SampleKind kind = SampleKind::instant) {
  MemoryTrace out(kind, {1, 1000});
  out.append(0, 1, values);
  return out;
}

/// Every sample asked in turn.
std::vector<SupplyDip> one_by_one(const std::vector<double>& values, const DipRule& rule) {
  std::vector<SupplyDip> out;
  bool low = false;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const double at = static_cast<double>(i) / 1000, v = values[i];
    if (low && v >= rule.back * rule.usual) {
      out.back().to_s = at;
      low = false;
    }
    if (!low && v < rule.below * rule.usual) {
      out.push_back({at, 0, v, true, i > 0});
      low = true;
    }
    if (low) out.back().lowest = std::min(out.back().lowest, v);
  }
  if (low) {  // instants: the last one has no length
    out.back().to_s = static_cast<double>(values.size() - 1) / 1000;
    out.back().recovers = false;
  }
  return out;
}

}  // namespace

TEST_CASE("a dip has its depth and its length, to a sample") {
  std::vector<double> v(10000, 3.3);
  for (int i = 5000; i < 5012; ++i) v[static_cast<std::size_t>(i)] = 2.61;
  v[5004] = 2.5;
  v[7000] = 3.0;  // 91 % is no dip
  const MemoryTrace trace = voltage(v, SampleKind::averaged);
  CHECK(usual_voltage(trace) == 3.3);
  const auto dips = supply_dips(trace, {3.3});
  REQUIRE(dips.size() == 1);
  CHECK(dips[0].from_s == Approx(5.0));
  CHECK(dips[0].length_s() == Approx(0.012));
  CHECK(dips[0].lowest == 2.5);
  CHECK(dips[0].recovers);
  CHECK(dips[0].begins);
}

TEST_CASE("noise at the threshold makes one dip of one") {
  std::vector<double> v(2000, 5.0);
  for (std::size_t i = 500; i < 1500; ++i) v[i] = i % 2 == 0 ? 4.48 : 4.53;  // 90 % is 4.5
  CHECK(supply_dips(voltage(v), {5.0}).size() == 1);
}

TEST_CASE(
    "a dip that a gap or the end cuts is not seen to come back, one at the start not to begin") {
  std::vector<double> low(300, 2.0), high(300, 3.0);
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> first = low;
  first.insert(first.end(), high.begin(), high.end());
  first.insert(first.end(), low.begin(), low.end());
  trace.append(0, 1, first);
  trace.append(2000, 1, high);
  const auto dips = supply_dips(trace, {3.0});
  REQUIRE(dips.size() == 2);
  CHECK_FALSE(dips[0].begins);
  CHECK(dips[0].recovers);
  CHECK(dips[1].from_s == Approx(0.6));
  CHECK(dips[1].to_s == Approx(0.9));
  CHECK_FALSE(dips[1].recovers);
}

TEST_CASE("what is skipped by nodes is what asking every sample finds") {
  const unsigned seed = std::random_device{}();
  CAPTURE(seed);
  std::mt19937_64 rng(seed);
  std::size_t in_all = 0;
  for (int round = 0; round < 60; ++round) {
    const std::size_t n = 1 + rng() % 200000;
    std::normal_distribution<double> noise(0, 0.02);
    std::vector<double> v(n);
    for (double& x : v) x = 3.6 + noise(rng);
    for (std::size_t k = rng() % 12; k > 0; --k) {
      const std::size_t from = rng() % n, length = 1 + rng() % (1ULL << (rng() % 17));
      const double depth = std::uniform_real_distribution<>(0.0, 3.6)(rng);
      for (std::size_t i = from; i < std::min(n, from + length); ++i) v[i] -= depth;
    }
    const DipRule rule{3.6};
    const auto found = supply_dips(voltage(v), rule), wanted = one_by_one(v, rule);
    REQUIRE(found.size() == wanted.size());
    in_all += found.size();
    for (std::size_t i = 0; i < found.size(); ++i) {
      CHECK(found[i].from_s == Approx(wanted[i].from_s));
      CHECK(found[i].to_s == Approx(wanted[i].to_s));
      CHECK(found[i].lowest == wanted[i].lowest);
      CHECK(found[i].recovers == wanted[i].recovers);
      CHECK(found[i].begins == wanted[i].begins);
    }
  }
  CHECK(in_all > 100);
}

TEST_CASE("the usual voltage is that of most of the time it is on") {
  std::vector<double> v;
  v.insert(v.end(), 60000, 0.002);  // off for longer than on
  v.insert(v.end(), 50000, 3.6);
  v.insert(v.end(), 8000, 2.0);
  CHECK(usual_voltage(voltage(v)) == Approx(3.6));
  v.assign(3, 1.8);
  CHECK(usual_voltage(voltage(v)) == 1.8);
  v.assign(5000, -0.001);
  CHECK(usual_voltage(voltage(v)) == 0);
  CHECK(usual_voltage(MemoryTrace(SampleKind::instant, {})) == 0);
  CHECK(supply_dips(MemoryTrace(SampleKind::instant, {}), {3.0}).empty());
}
