// SPDX-License-Identifier: GPL-3.0-or-later
// Minutes of an input's life in a loop: what it delivers is a function of this computer's time.

#include "acquire/arrival_watch.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <functional>

using namespace kuvio;
using namespace kuvio::acquire;
using Finding = ArrivalWatch::Finding;

namespace {

constexpr double kTurn = 0.01;  // s
constexpr double kNever = 1e9;

struct Found {
  double silent_s = kNever, clock_s = kNever;
  int silences = 0, clocks = 0;
};

/// Feeds a watch for `length` s; `recorded`: own time delivered by then; 100 samples a second.
Found watch(double length, const std::function<double(double)>& recorded, double scale = 1,
            const std::function<bool(double)>& pause = {}, double rate = 100) {
  Found out;
  const double start = 5000;
  ArrivalWatch watch(scale, start);
  for (double t = 0; t < length; t += kTurn) {
    if (pause && pause(t)) continue;
    ArrivalWatch::Seen seen;
    seen.now_s = start + t;
    seen.samples = static_cast<std::int64_t>(recorded(t) * rate + 0.5);
    seen.recorded_s = static_cast<double>(seen.samples) / rate;
    const Finding found = watch.look(seen);
    if (found == Finding::silent && out.silences++ == 0) out.silent_s = t;
    if (found == Finding::clock_contradicts && out.clocks++ == 0) out.clock_s = t;
  }
  return out;
}

}  // namespace

TEST_CASE("an input that delivers at its rate is nothing to speak of") {
  const Found f = watch(120, [](double t) { return t; });
  CHECK(f.silences + f.clocks == 0);
  // Nor is one whose queue delivers every three seconds, or whose clock is off by 4 %.
  CHECK(watch(120, [](double t) { return 3 * std::floor(t / 3); }).silences == 0);
  CHECK(watch(120, [](double t) { return 1.04 * t; }).clocks == 0);
}

TEST_CASE("silence is found after five seconds, once for each time") {
  const Found f = watch(60, [](double t) { return t < 20 ? t : t < 40 ? 20 : t - 20; });
  CHECK(f.silences == 1);
  CHECK(f.silent_s == Approx(25).margin(0.1));
  const Found never = watch(20, [](double) { return 0.0; });
  CHECK(never.silent_s == Approx(5).margin(0.1));
  const Found twice = watch(60, [](double t) {
    return t < 10 ? t : t < 20 ? 10 : t < 30 ? t - 10 : 20;
  });
  CHECK(twice.silences == 2);
}

TEST_CASE("an input that reads once a second may be silent for twenty readings") {
  const auto slow = [](double t) { return t < 30 ? t : 30; };
  const Found f = watch(120, slow, 1, {}, 1);
  CHECK(f.silences == 1);
  CHECK(f.silent_s == Approx(50).margin(1.5));
}

TEST_CASE("a pause of this program is no silence of the input") {
  const auto stopped = [](double t) { return t > 20 && t < 50; };
  const Found f = watch(
      80, [](double t) { return t < 20 ? t : std::max(20.0, t - 1); }, 1, stopped);
  CHECK(f.silences == 0);
}

TEST_CASE("an input whose link is away has been spoken of already") {
  ArrivalWatch watch(1, 0);
  ArrivalWatch::Seen seen;
  seen.samples = 10;
  seen.accounted_for = true;
  for (double t = 0; t < 60; t += kTurn) {
    seen.now_s = t;
    CHECK(watch.look(seen) == Finding::none);
  }
}

TEST_CASE("a rate that this computer's clock contradicts is found, after queues had their say") {
  // Half of what it says: after 20 s it is 10 s behind, and what may be a queue is none.
  const Found half = watch(60, [](double t) { return t / 2; });
  CHECK(half.clocks == 1);
  CHECK(half.clock_s > 20);
  CHECK(half.clock_s < 26);
  const Found twice = watch(60, [](double t) { return 2 * t; });
  CHECK(twice.clock_s > 10);
  CHECK(twice.clock_s < 15);
  // A bench that runs at twenty times real time, as it is said to.
  CHECK(watch(
            60, [](double t) { return 20 * t; }, 20)
            .clocks == 0);
  CHECK(watch(
            60, [](double t) { return 10 * t; }, 20)
            .clocks == 1);
}

TEST_CASE(
    "at the end what could have been a pause is none, and what has no rate has no wrong one") {
  ArrivalWatch watch(1, 0);
  ArrivalWatch::Seen seen;
  for (int i = 1; i <= 100; ++i) {
    seen.now_s = 0.5 * i;
    seen.samples = i;
    seen.recorded_s = 0.5 * i;
    CHECK(watch.look(seen) == Finding::none);
  }
  seen.recorded_s = 80;
  CHECK(watch.settle(seen) == Finding::clock_contradicts);
  CHECK(watch.own_s(seen) == Approx(79.5));
  CHECK(watch.real_s() == Approx(49.5));
  CHECK(watch.settle(seen) == Finding::none);  // once

  ArrivalWatch polled(1, 0);
  seen.has_rate = false;
  CHECK(polled.look(seen) == Finding::none);
  CHECK(polled.settle(seen) == Finding::none);
}

TEST_CASE("a capture of given length ends by the clock when samples do not come") {
  const auto ends = [](double until, const std::function<double(double)>& recorded,
                       double scale = 1, bool any = true) {
    TimeLimit limit(scale, 100);
    limit.begin(100);
    for (double t = 0; t < 300; t += kTurn) {
      if (recorded(t) >= until) return kNever;  // complete
      if (limit.is_up(100 + t, recorded(t), until, any)) return t;
    }
    return kNever;
  };
  // Stopped at 4 of 10 s: two seconds of grace; 1 % of a longer one.
  CHECK(ends(10, [](double t) { return std::min(t, 4.0); }) == Approx(12).margin(0.05));
  CHECK(ends(250, [](double t) { return std::min(t, 4.0); }) == Approx(252.5).margin(0.05));
  // One that never began has five seconds more.
  CHECK(ends(
            10, [](double) { return 0.0; }, 1, false) == Approx(17).margin(0.05));
  // What is late but comes is waited for; what drips at a twentieth is not.
  CHECK(ends(10, [](double t) { return t / 1.9; }) == kNever);
  CHECK(ends(10, [](double t) { return t / 20; }) == Approx(12).margin(0.05));
  CHECK(ends(10, [](double t) { return t / 5; }) == Approx(30).margin(0.05));  // twice, and 10 s
  // A simulated bench that this computer cannot keep up with, for as long as it comes.
  CHECK(ends(
            1000, [](double t) { return 4 * t; }, 20) == kNever);
  CHECK(ends(
            1000, [](double t) { return std::min(4 * t, 100.0); }, 20) == Approx(52).margin(0.05));
  // Without a length nothing is ever up.
  TimeLimit open(1, 0);
  CHECK_FALSE(open.is_up(1e6, 0, std::numeric_limits<double>::infinity(), true));
}
