// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/stays.h"

#include "core/measure.h"
#include "core/noise.h"
#include "core/state_split.h"
#include "core/visit_figures.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::names;
using test::trace_of;

namespace {

Recipe three(double shortest_work = 0.1) {
  Recipe out{"three", "", {}};
  out.states.push_back({"Sleep", {-1, 100e-6, -1, 100e-6}, 0.02, 0});
  out.states.push_back({"Work", {100e-6, 10e-3, 100e-6, 10e-3}, shortest_work, 0});
  out.states.push_back({"Radio", {10e-3, 1, 10e-3, 1}, 0.005, 0});
  return out;
}

}  // namespace

TEST_CASE("a stay that has grown long enough while others were absorbed stays") {
  // 80 ms of work, a spike of 2 ms, 80 ms of work: 162 ms, and 100 are asked for.
  const auto visits =
      split(trace_of({{3e-6, 500}, {5e-3, 80}, {20e-3, 2}, {5e-3, 80}, {3e-6, 500}}), three());
  REQUIRE(names(visits) == std::vector<std::string>{"Sleep", "Work", "Sleep"});
  CHECK(visits[1].length_s() == Approx(0.162));
}

TEST_CASE(
    "no stay between two others ends up shorter than its rule asks, none that is longer goes") {
  std::mt19937_64 random(12);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 200; ++round) {
    std::vector<std::pair<double, int>> levels;
    for (int i = 0; i < 40; ++i) {
      const double level = unit(random) < 0.4 ? 3e-6 : unit(random) < 0.6 ? 5e-3 : 50e-3;
      levels.emplace_back(level, 1 + static_cast<int>(40 * unit(random) * unit(random)));
    }
    const MemoryTrace trace = trace_of(levels);
    Recipe recipe = three(0.03);
    const Block& block = trace.blocks().front();
    const auto raw = stays_by_level(trace, block, recipe, {}, [] { return 1e-6; });
    const auto stays =
        absorb_short_stays(trace, block, recipe, raw, [&] { return quiet_noise(trace); });
    for (std::size_t i = 1; i + 1 < stays.size(); ++i) {
      const double shortest = recipe.states[static_cast<std::size_t>(stays[i].state)].shortest_s;
      REQUIRE(static_cast<double>(stays[i].samples()) * 1e-3 >= shortest * (1 - 1e-9));
      REQUIRE(stays[i].state != stays[i - 1].state);
    }
    // Whatever was long enough to begin with is still in a stay of its own state.
    for (const Stay& s : raw) {
      if (static_cast<double>(s.samples()) * 1e-3 <
          recipe.states[static_cast<std::size_t>(s.state)].shortest_s)
        continue;
      bool kept = false;
      for (const Stay& t : stays) kept |= t.state == s.state && t.from <= s.from && t.to >= s.to;
      REQUIRE(kept);
    }
  }
}

TEST_CASE("a stay cut by an end or a gap is never absorbed for being short") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  auto v = std::vector<double>(500, 3e-6);
  v.insert(v.end(), 200, 60e-3);
  v.insert(v.end(), 45, 5e-3);  // of 100 ms at least, but the gap comes before
  trace.append(0, 1, v);
  trace.append(2000, 1, std::vector<double>(30, 5e-3));
  const Visits visits = split(trace, three());
  REQUIRE(names(visits) == std::vector<std::string>{"Sleep", "Radio", "Work", kMissing, "Work"});
  CHECK_FALSE(visits[2].whole);
  CHECK_FALSE(visits[4].whole);
  CHECK(visits[1].whole);
}

TEST_CASE(
    "a mere change from one level to the next is no visit, unless its rule asks for no more") {
  // Two samples on the way up and three on the way down lie in the band of Work.
  const std::vector<std::pair<double, int>> levels{{3e-6, 100}, {1e-3, 1}, {4e-3, 1}, {50e-3, 100},
                                                   {8e-3, 1},   {2e-3, 1}, {5e-4, 1}, {3e-6, 100}};
  const MemoryTrace trace = trace_of(levels);
  CHECK(names(split(trace, three(0))) == std::vector<std::string>{"Sleep", "Radio", "Sleep"});
  // A rule that asks for a millisecond has it.
  CHECK(names(split(trace, three(0.001))) ==
        std::vector<std::string>{"Sleep", "Work", "Radio", "Work", "Sleep"});
  // What goes up and down again is a stay, and so is what stands still.
  CHECK(names(split(trace_of({{3e-6, 100}, {5e-3, 1}, {3e-3, 1}, {50e-3, 100}}), three(0))) ==
        std::vector<std::string>{"Sleep", "Work", "Radio"});
  CHECK(names(split(trace_of({{3e-6, 100}, {5e-3, 2}, {50e-3, 100}}), three(0))) ==
        std::vector<std::string>{"Sleep", "Work", "Radio"});
}

TEST_CASE("the scale for the nearer neighbour comes from the trace's own noise") {
  // 1 uA beside 20 nA and 3 mA: with 10 nA of noise it is nearer to the sleep.
  std::mt19937_64 random(2);
  std::normal_distribution<double> normal;
  std::vector<double> v(400, 20e-9);
  v.insert(v.end(), 3, 1e-6);
  v.insert(v.end(), 400, 3e-3);
  for (double& x : v) x += 10e-9 * normal(random);
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, v);
  CHECK(quiet_noise(trace) == Approx(10e-9).epsilon(0.4));
  Recipe recipe{"r", "", {}};
  recipe.states.push_back({"Sleep", {-1, 500e-9, -1, 500e-9}, 0, 0});
  recipe.states.push_back({"Between", {500e-9, 1e-3, 500e-9, 1e-3}, 0.01, 0});
  recipe.states.push_back({"Work", {1e-3, 1, 1e-3, 1}, 0, 0});
  const Visits visits = split(trace, recipe);
  REQUIRE(names(visits) == std::vector<std::string>{"Sleep", "Work"});
  CHECK(visits[1].from_s == Approx(0.403).margin(1e-4));
}

TEST_CASE("over-range samples bound the visits on both their sides, by their sign") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  const auto stay = [](double level, int n) {
    return std::vector<double>(static_cast<std::size_t>(n), level);
  };
  auto v = stay(3e-6, 200);
  const auto radio = stay(60e-3, 50);
  v.insert(v.end(), radio.begin(), radio.end());
  trace.append(0, 1, v);
  auto w = stay(60e-3, 50);
  const auto sleep = stay(3e-6, 200);
  w.insert(w.end(), sleep.begin(), sleep.end());
  trace.append(255, 1, w);
  for (const Flag flag : {Flag::over_range, Flag::below_range, Flag::dropped}) {
    MemoryTrace marked = trace;
    marked.flag({flag, 0.250, 0.255, 5});
    const auto f = measure_visits(marked, split(marked, three()));
    REQUIRE(f.size() == 5);
    const Bounds wanted{flag == Flag::over_range, flag == Flag::below_range};
    CHECK(f[1].bounds == wanted);
    CHECK(f[3].bounds == wanted);
    CHECK_FALSE(f[0].bounds.any());
    CHECK_FALSE(f[4].bounds.any());
    CHECK(f[3].visit.continues == wanted.any());
    CHECK_FALSE(f[1].visit.whole);
    CHECK_FALSE(f[3].visit.whole);
  }
}

TEST_CASE("flags before the first sample and behind the last bound the outer visits") {
  MemoryTrace trace = trace_of({{60e-3, 50}, {3e-6, 200}, {60e-3, 50}});
  trace.flag({Flag::over_range, -0.005, 0, 5});
  const auto f = measure_visits(trace, split(trace, three()));
  CHECK(f.front().bounds.lower);
  CHECK_FALSE(f.back().bounds.any());
}
