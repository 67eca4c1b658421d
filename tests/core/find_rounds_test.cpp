// SPDX-License-Identifier: GPL-3.0-or-later
// States found in what devices do round by round, as meters write it.
#include "core/find_states.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

/// What a device does: it rests and works in turn, and sends after some turns; `bursts`: in bursts
/// of a few milliseconds, else steadily. `digits`: of a meter that adds noise of its own and whose
/// step is so many of the level at rest; 0: none. `sign`: -1 for a meter that was put in the other
/// way round.
FoundStates found_of_rounds(std::mt19937_64& random, bool bursts, double digits = 0,
                            double sign = 1) {
  std::normal_distribution<double> noise;
  const auto between = [&](double low, double high) {
    return std::exp(std::uniform_real_distribution<double>(std::log(low), std::log(high))(random));
  };
  const double rest = between(1e-6, 20e-6), work = rest * between(10, 100),
               send = work * between(10, 100), spread = between(0.02, 0.1);
  const double rest_ms = between(1000, 6000), work_ms = between(200, 2000),
               send_ms = between(100, 20'000), burst_ms = between(3, 8), pause_ms = between(5, 15);
  const auto turns = static_cast<int>(between(3, 7));
  std::vector<double> values;
  const auto put = [&](double level, double ms) {
    const auto samples = std::max(2LL, std::llround(ms * between(0.9, 1.1)));
    for (auto i = samples; i > 0; --i) {
      const double x = level * (1 + spread * noise(random)), step = digits * rest;
      values.push_back(step > 0 ? step * std::round((x + 0.2 * rest * noise(random)) / step) : x);
    }
  };
  for (int round = 0; round < 8; ++round) {
    for (int turn = 0; turn < turns; ++turn) {
      put(rest, rest_ms);
      put(work, work_ms);
    }
    if (!bursts) put(send, send_ms);
    for (int burst = 0; bursts && burst < 12; ++burst) {
      put(send, burst_ms);
      if (burst < 11) put(send / 4, pause_ms);
    }
  }
  for (double& v : values) v *= sign;
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, values);
  return find_states(trace);
}

}  // namespace

TEST_CASE("resting and working in turn are two states, bursts of sending are one") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  for (const double sign : {1.0, -1.0}) {
    INFO("sign " << sign);
    int steady = 0, bursts = 0;
    for (int run = 0; run < 20; ++run) {
      steady += found_of_rounds(random, false, 0, sign).levels.size() == 3;
      bursts += found_of_rounds(random, true, 0, sign).levels.size() == 3;
    }
    CHECK(steady >= 19);
    CHECK(bursts >= 17);
  }
}

TEST_CASE("the steps of a meter's digits are no states") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  for (const double digits : {0.2, 0.5, 0.9, 1.6}) {
    INFO("a step of " << digits << " of the level at rest");
    int right = 0;
    for (int run = 0; run < 20; ++run)
      right += found_of_rounds(random, false, digits).levels.size() == 3;
    CHECK(right >= 18);
  }
}

TEST_CASE("rest and work in turn beside long sending are two states, whatever the sign") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> noise;
  for (const double sign : {1.0, -1.0}) {
    INFO("sign " << sign);
    std::vector<double> values;
    const auto put = [&](double level, int ms) {
      for (int i = 0; i < ms; ++i) values.push_back(sign * level * (1 + 0.05 * noise(random)));
    };
    for (int round = 0; round < 6; ++round) {
      for (int turn = 0; turn < 4; ++turn) {
        put(8e-6, 1500);
        put(450e-6, 400);
      }
      put(28e-3, 20'000);
    }
    MemoryTrace trace(SampleKind::averaged, {1, 1000});
    trace.append(0, 1, values);
    CHECK(find_states(trace).levels.size() == 3);
  }
}
