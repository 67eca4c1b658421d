// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/hangs.h"

#include "core/reset_loops.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {

/// Cycles of 10 s: 9 s Sleep, 1 s Work with three lines; n of them.
struct Device {
  Visits visits;
  std::vector<double> lines;
  double now = 0;

  void stay(const std::string& state, double length) {
    visits.push_back({state, now, now + length});
    now += length;
  }
  void cycles(int n) {
    for (; n > 0; --n) {
      stay("Sleep", 9);
      for (const double at : {0.01, 0.4, 0.9}) lines.push_back(now + at);
      stay("Work", 1);
    }
  }
};

}  // namespace

TEST_CASE("silent at a level of no state: it hangs") {
  Device d;
  d.cycles(6);
  CHECK(hangs_of(d.visits, d.lines, d.now).empty());
  d.stay(kUnassigned, 100);
  const auto found = hangs_of(d.visits, d.lines, d.now);
  REQUIRE(found.size() == 1);
  CHECK(found[0].state == kUnassigned);
  CHECK(found[0].from_s == Approx(60));
  CHECK(found[0].to_s == Approx(160));
  CHECK(found[0].silent_from_s == Approx(59.9));
  CHECK(found[0].silent_to_s == Approx(160));
  CHECK(found[0].usual_silence_s == Approx(9.11));
  CHECK_FALSE(found[0].longest_s);
  CHECK_FALSE(found[0].ends);
}

TEST_CASE("a state that it never stays in so long, and one that goes on again") {
  Device d;
  d.cycles(5);
  d.stay("Sleep", 9);
  d.lines.push_back(d.now + 0.01);
  d.stay("Work", 60);
  d.cycles(5);
  const auto found = hangs_of(d.visits, d.lines, d.now);
  REQUIRE(found.size() == 1);
  CHECK(found[0].state == "Work");
  CHECK(found[0].longest_s == Approx(1));
  CHECK(found[0].ends);
}

TEST_CASE("what is no hang: a lively silence, a quiet log, a state visited once, an output off") {
  Device quiet;  // writes at first, then only works
  quiet.cycles(4);
  quiet.lines.resize(9);
  for (int i = 0; i < 40; ++i) {
    quiet.stay("Sleep", 9);
    quiet.stay("Work", 1);
  }
  CHECK(hangs_of(quiet.visits, quiet.lines, quiet.now).empty());
  Device few;
  few.cycles(2);
  few.stay(kUnassigned, 1000);
  CHECK(hangs_of(few.visits, few.lines, few.now).empty());  // six lines
  Device once;
  once.cycles(6);
  once.stay("Update", 300);
  once.cycles(2);
  CHECK(hangs_of(once.visits, once.lines, once.now).empty());
  Device off;
  off.cycles(6);
  off.stay(kOff, 500);
  CHECK(hangs_of(off.visits, off.lines, off.now).empty());
  Device idle;  // Unassigned is where it always rests
  for (int i = 0; i < 8; ++i) {
    idle.stay(kUnassigned, 60);
    for (int k = 0; k < 20; ++k) idle.lines.push_back(idle.now + k * 0.04);
    idle.stay("Work", 1);
  }
  CHECK(hangs_of(idle.visits, idle.lines, idle.now).empty());
}

TEST_CASE("two of three hundred devices whose rests scatter are said to hang at most") {
  const unsigned seed = std::random_device{}();
  CAPTURE(seed);
  std::mt19937_64 rng(seed);
  int told = 0;
  for (int device = 0; device < 300; ++device) {
    std::lognormal_distribution<double> rest(2, 0.4);
    Device d;
    for (int i = 0; i < 30; ++i) {
      d.stay("Sleep", rest(rng));
      for (int k = 0; k < 3; ++k) d.lines.push_back(d.now + 0.3 * k);
      d.stay("Work", 1);
    }
    told += hangs_of(d.visits, d.lines, d.now).empty() ? 0 : 1;
  }
  CHECK(told <= 2);
}

TEST_CASE("starts in a row that nobody wanted are a loop") {
  const auto every = [](double period, int n, double from, bool wanted) {
    std::vector<DeviceStart> out;
    for (int i = 0; i < n; ++i) out.push_back({from + i * period, wanted});
    return out;
  };
  std::vector<DeviceStart> starts = every(1.2, 5, 3, false);
  auto loops = loops_among(starts);
  REQUIRE(loops.size() == 1);
  CHECK(loops[0].from_s == Approx(3));
  CHECK(loops[0].rounds == 5);
  CHECK(loops[0].period_s == Approx(1.2));
  // A second one an hour later is another.
  const auto later = every(0.5, 3, 3600, false);
  starts.insert(starts.end(), later.begin(), later.end());
  loops = loops_among(starts);
  REQUIRE(loops.size() == 2);
  CHECK(loops[1].from_s == Approx(3600));
  CHECK(loops[1].rounds == 3);
  CHECK(loops_among(every(10, 20, 0, true)).empty());  // somebody switches it
  CHECK(loops_among(every(1, 2, 0, false)).empty());
  CHECK(loops_among({{0, true}, {1, false}, {2, false}}).size() == 1);  // the first was wanted
  CHECK(loops_among({{0, false}, {1, false}, {100, false}, {5000, false}}).empty());
  CHECK(loops_among({}).empty());
}
