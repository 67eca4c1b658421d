// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recipe_fit.h"

#include "core/state_split.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>

using namespace kuvio;

namespace {

using Kind = Misfit::Kind;

Recipe recipe() {
  const auto rule = [](const char* name, double low, double high) {
    StateRule out;
    out.name = name;
    out.level = {low, high, low, high};
    return out;
  };
  return {
      "r", "", {rule("Rest", -INFINITY, 1e-4), rule("Sense", 1e-4, 2e-3), rule("Send", 2e-3, 0.1)}};
}

/// Rounds of rest, sensing and sending: levels in A, lengths in ms.
struct Device {
  double sense = 0.8e-3, send = 10e-3;
  int sense_ms = 100, send_ms = 50, rounds = 20;
  double vary = 0.02;  // of each length and level

  std::vector<VisitFigures> made(std::mt19937_64& chance) const {
    std::normal_distribution<double> z;
    MemoryTrace trace(SampleKind::averaged, {1, 1000});
    std::vector<double> values;
    const auto stay = [&](double level, int ms) {
      level *= 1 + vary * z(chance);
      const int n = std::max(3, static_cast<int>(std::lround(ms * (1 + vary * z(chance)))));
      for (int i = 0; i < n; ++i) values.push_back(level * (1 + 0.01 * z(chance)));
    };
    for (int i = 0; i < rounds; ++i) {
      stay(1e-5, 300);
      stay(sense, sense_ms);
      stay(send, send_ms);
    }
    stay(1e-5, 300);
    trace.append(0, 1, values);
    return measure_visits(trace, split(trace, recipe()));
  }
};

std::vector<Misfit> of(const Device& here, const Device& reference, std::mt19937_64& chance) {
  const auto a = here.made(chance), b = reference.made(chance);
  return misfits_of(recipe(), a, &b);
}

}  // namespace

TEST_CASE("a level close to its threshold, and one that is not") {
  std::mt19937_64 chance(3);
  CHECK(of({}, {}, chance).empty());
  Device high;
  high.sense = 1.85e-3;
  const auto misfits = misfits_of(recipe(), high.made(chance), nullptr);
  REQUIRE(misfits.size() == 1);
  CHECK(misfits[0].kind == Kind::near_edge);
  CHECK(misfits[0].state == "Sense");
  CHECK(misfits[0].here == Approx(1.85e-3).epsilon(0.02));
  CHECK(misfits[0].there == 2e-3);
  CHECK(misfits[0].close == misfits[0].visits);
  CHECK(misfits[0].visits >= 20);  // some are torn in two there
  CHECK_THAT(in_words(misfits[0], "A", ""), Catch::Contains(" visits to Sense lie within 10") &&
                                                Catch::Contains("of its threshold of 2.00"));
  // Some of them are enough, however far the others are.
  auto some = Device{}.made(chance);
  for (std::size_t i = 0, n = 0; i < some.size(); ++i) {
    if (some[i].visit.state == "Sense" && n++ % 10 == 0) some[i].mean = 1.9e-3;
  }
  const auto few = misfits_of(recipe(), some, nullptr);
  REQUIRE(few.size() == 1);
  CHECK(few[0].close == 2);
}

TEST_CASE("what no rule claims, other lengths, and a state that is gone") {
  std::mt19937_64 chance(4);
  const auto reference = Device{}.made(chance);
  Device longer;
  longer.send_ms = 90;
  auto misfits = misfits_of(recipe(), longer.made(chance), &reference);
  REQUIRE(misfits.size() == 1);
  CHECK(misfits[0].kind == Kind::lengths);
  CHECK(misfits[0].state == "Send");
  CHECK(misfits[0].here == Approx(0.09).epsilon(0.03));
  CHECK(misfits[0].there == Approx(0.05).epsilon(0.03));
  CHECK_THAT(in_words(misfits[0], "A", "old"),
             Catch::Contains("a visit to Send lasts") && Catch::Contains("in old"));
  Device silent;
  silent.send = 0.9e-3;  // what was sending looks like sensing
  misfits = misfits_of(recipe(), silent.made(chance), &reference);
  const auto lost = std::find_if(misfits.begin(), misfits.end(),
                                 [](const Misfit& m) { return m.kind == Kind::lost; });
  REQUIRE(lost != misfits.end());
  CHECK(lost->state == "Send");
  CHECK(in_words(*lost, "A", "old") == "Send is nowhere here, and was visited 20 times in old");
  Device beyond;
  beyond.send = 0.2;  // above every band
  misfits = misfits_of(recipe(), beyond.made(chance), &reference);
  const auto open = std::find_if(misfits.begin(), misfits.end(),
                                 [](const Misfit& m) { return m.kind == Kind::unassigned; });
  REQUIRE(open != misfits.end());
  CHECK(open->here == Approx(0.1).margin(0.03));
  CHECK(open->there == 0);
}

TEST_CASE("the same device again is seldom called a misfit") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  std::size_t called = 0;
  constexpr int kRuns = 150;
  for (int i = 0; i < kRuns; ++i) {
    Device device;
    device.vary = std::uniform_real_distribution(0.0, 0.1)(chance);
    device.rounds = std::uniform_int_distribution(9, 40)(chance);
    Device other = device;
    other.rounds = std::uniform_int_distribution(9, 40)(chance);
    called += !of(device, other, chance).empty();
  }
  INFO("seed " << seed << ": " << called << " of " << kRuns);
  CHECK(called <= 4);
}
