// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/limit_watch.h"

#include <catch2/catch.hpp>

#include <vector>

using namespace kuvio;

namespace {

struct Seen {
  std::vector<LimitedStretch> limited;
  std::vector<ResetLoop> loops;
};

/// Levels in A with lengths in ms, a sample a millisecond.
Seen watch(double limit, const std::vector<std::pair<double, int>>& levels) {
  LimitWatch w(limit);
  Seen out;
  int ms = 0;
  for (const auto& [level, length] : levels) {
    for (int i = 0; i < length; ++i, ++ms) {
      w.sample(ms * 1e-3, level);
      if (const auto l = w.take_limited()) out.limited.push_back(*l);
      if (const auto l = w.take_loop()) out.loops.push_back(*l);
    }
  }
  return out;
}

}  // namespace

TEST_CASE("held, fallen, held again: three rounds are a reset loop") {
  std::vector<std::pair<double, int>> levels{{3e-6, 200}};
  for (int i = 0; i < 7; ++i) {
    levels.emplace_back(15e-3, 6);
    levels.emplace_back(0, 180);
  }
  const Seen seen = watch(15e-3, levels);
  CHECK(seen.limited.size() == 7);
  CHECK(seen.limited[0].from_s == Approx(0.2));
  CHECK(seen.limited[0].to_s == Approx(0.206));
  REQUIRE(seen.loops.size() == 2);
  CHECK(seen.loops[0].rounds == 3);
  CHECK(seen.loops[0].from_s == Approx(0.2));
  CHECK(seen.loops[0].period_s == Approx(0.186));
  CHECK(seen.loops[1].rounds == 6);
}

TEST_CASE("peaks below the limit, and a device that is held and goes on, are no reset loop") {
  std::vector<std::pair<double, int>> pulses, charging;
  for (int i = 0; i < 20; ++i) {
    pulses.insert(pulses.end(), {{220e-3, 15}, {3e-6, 200}});
    charging.insert(charging.end(), {{100e-3, 50}, {40e-3, 200}});
  }
  const Seen below = watch(0.5, pulses);
  CHECK(below.limited.empty());
  CHECK(below.loops.empty());
  const Seen held = watch(0.1, charging);
  CHECK(held.limited.size() == 20);
  CHECK(held.loops.empty());
}

TEST_CASE("a single sample at the limit is not held") {
  const Seen seen = watch(0.1, {{1e-3, 10}, {0.1, 1}, {1e-3, 10}});
  CHECK(seen.limited.empty());
}
