// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/state_split.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::names;
using test::trace_of;

namespace {

Band below(double high, double release) { return {-INFINITY, high, -INFINITY, release}; }
Band above(double low) { return {low, INFINITY, low, INFINITY}; }
Band between(double low, double high) { return {low, high, low, high}; }

Recipe satchel() {
  return {"test",
          "",
          {{"Sleep", below(200e-6, 260e-6), 0.02, 0},
           {"Work", between(200e-6, 30e-3), 0.005, 0},
           {"Radio", above(30e-3), 0.005, 0.3}}};
}

}  // namespace

TEST_CASE("levels split a trace at the samples where they change") {
  const Visits v = split(trace_of({{3e-6, 100}, {5e-3, 40}, {3e-6, 100}}), satchel());
  REQUIRE(names(v) == std::vector<std::string>{"Sleep", "Work", "Sleep"});
  CHECK(v[1].from_s == Approx(0.100));
  CHECK(v[1].to_s == Approx(0.140));
  CHECK(v[1].whole);
  CHECK_FALSE(v[0].whole);
  CHECK_FALSE(v[2].whole);
}

TEST_CASE("a state holds until its release is passed") {
  CHECK(split(trace_of({{3e-6, 100}, {240e-6, 40}, {3e-6, 100}}), satchel()).size() == 1);
  CHECK(split(trace_of({{3e-6, 100}, {270e-6, 40}, {3e-6, 100}}), satchel()).size() == 3);
}

TEST_CASE("short stays go to the neighbour whose level is nearer") {
  const Visits v = split(trace_of({{3e-6, 100}, {9e-3, 2}, {50e-3, 100}, {3e-6, 100}}), satchel());
  REQUIRE(names(v) == std::vector<std::string>{"Sleep", "Radio", "Sleep"});
  // The two samples hold the charge of 0.36 samples of the radio: that is where the edge stands.
  CHECK(v[1].from_s == Approx(0.102 - 2e-3 * 9 / 50).epsilon(1e-4));
}

TEST_CASE("bursts no further apart than join_gaps are one visit") {
  const Visits v = split(trace_of({{3e-6, 100},
                                   {60e-3, 50},
                                   {9e-3, 200},
                                   {60e-3, 50},
                                   {9e-3, 400},
                                   {60e-3, 50},
                                   {3e-6, 100}}),
                         satchel());
  REQUIRE(names(v) == std::vector<std::string>{"Sleep", "Radio", "Work", "Radio", "Sleep"});
  CHECK(v[1].length_s() == Approx(0.3));
}

TEST_CASE("what no rule claims is Unassigned and a gap is Missing") {
  MemoryTrace trace = trace_of({{3e-6, 100}, {-5e-3, 100}});
  trace.append(500, 1, std::vector<double>(100, 3e-6));
  Recipe recipe = satchel();
  recipe.states[0].level.low = recipe.states[0].level.release_low = -1e-3;
  const Visits v = split(trace, recipe);
  REQUIRE(names(v) == std::vector<std::string>{"Sleep", "Unassigned", "Missing", "Sleep"});
  CHECK(v[2].from_s == Approx(0.2));
  CHECK(v[2].to_s == Approx(0.5));
}

TEST_CASE("time with the output off is Off, up to the first rise") {
  const MemoryTrace trace = trace_of({{0, 300}, {5e-3, 100}, {3e-6, 100}});
  const double on = first_rise(trace, 0.1, 0.4, 1e-6);
  CHECK(on == Approx(0.3));
  const Visits v = split(trace, satchel(), {{true, 0.1, on}});
  REQUIRE(names(v) == std::vector<std::string>{"Off", "Work", "Sleep"});
  CHECK(v[1].whole);
}

TEST_CASE("a split covers any trace from end to end, under any recipe") {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 80; ++round) {
    const MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::instant : SampleKind::averaged, round % 3 == 0);
    Recipe recipe;
    const int n = 1 + static_cast<int>(unit(random) * 5);
    for (int i = 0; i < n; ++i) {
      const double low = std::pow(10, -7 + 6 * unit(random)), high = low * (1 + 20 * unit(random));
      Band band{low, high, low * unit(random), high * (1 + unit(random))};
      recipe.states.push_back({"S" + std::to_string(i), band, unit(random) * 0.05,
                               unit(random) < 0.4 ? unit(random) * 0.1 : 0});
    }
    const Visits visits = split(trace, recipe);
    double at = trace.from_s();
    for (const Visit& v : visits) {
      REQUIRE(v.from_s == at);
      REQUIRE(v.to_s > v.from_s);
      at = v.to_s;
    }
    if (trace.to_s() > trace.from_s()) REQUIRE(at == Approx(trace.to_s()));
  }
}

TEST_CASE("the sample in which the power came on is no visit of its own") {
  // 1 kS/s; the output came on 0.7 % before the end of sample 100, which so reads 126 uA.
  const MemoryTrace trace = trace_of({{0, 100}, {126e-6, 1}, {18e-3, 200}, {3e-6, 300}});
  const double on = first_rise(trace, 0.095, 0.110, 200e-9);
  CHECK(on == Approx(0.100));
  const Visits v = split(trace, satchel(), {{true, 0.095, on}});
  REQUIRE(names(v) == std::vector<std::string>{kOff, "Work", "Sleep"});
  CHECK(v[1].from_s == Approx(0.100));
  // A stay that is long enough behind the switch is a visit.
  const MemoryTrace slow = trace_of({{0, 100}, {126e-6, 30}, {18e-3, 200}});
  CHECK(names(split(slow, satchel(), {{true, 0.095, 0.100}})) ==
        std::vector<std::string>{kOff, "Sleep", "Work"});
}
