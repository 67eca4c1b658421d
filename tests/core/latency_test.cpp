// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/latency.h"

#include "core/convergence.h"
#include "core/uncertainty.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {
const Visits kDay{{"Rest", 0, 10, false}, {"Up", 10, 11},          {"Rest", 11, 20},
                  {"Up", 20, 21},         {"Rest", 21, 30, false}, {kMissing, 30, 40, false},
                  {"Up", 40, 41, false},  {"Rest", 41, 50},        {"Up", 50, 51},
                  {"Rest", 51, 60, false}};
}

TEST_CASE("each moment waits for the first entry behind it") {
  const Latency l = latency_of(kDay, "Up", {9.75, 19.5, 49}, 0.005);
  REQUIRE(l.waits.size() == 3);
  CHECK(l.waits[0].length_s() == Approx(0.25));
  CHECK(l.waits[1].visit == 3);
  CHECK(l.median_s == Approx(0.5));
  CHECK(l.shortest_s == Approx(0.25));
  CHECK(l.longest_s == Approx(1));
  CHECK(l.length.mean == Approx((0.25 + 0.5 + 1) / 3));
  CHECK(l.length.sd == Approx(0.3818813079));  // numpy.std(ddof=1)
}

TEST_CASE("a moment that nothing answered is missed, and one before a gap was not seen") {
  // 12 is not answered before 13; 13 is; 22 lies before the gap; the entry at 40 was not seen; 55
  // lies before the end.
  const Latency l = latency_of(kDay, "Up", {12, 13, 22, 39, 45, 55}, 0.005);
  CHECK(l.missed == std::vector<double>{12});
  REQUIRE(l.waits.size() == 2);
  CHECK(l.waits[0].at_s == 13);
  CHECK(l.waits[1].at_s == 45);
  CHECK(l.unseen == std::vector<double>{22, 39, 55});
  CHECK(latency_of({}, "Up", {1}, 0).waits.empty());
  CHECK(latency_of(kDay, "Nowhere", {1, 2}, 0).missed.size() == 1);
}

TEST_CASE("a line written a hair behind the entry tells of that entry") {
  const Latency l = latency_of(kDay, "Up", {10.003, 20.004}, 0.005);
  REQUIRE(l.waits.size() == 2);
  CHECK(l.waits[0].length_s() == Approx(-0.003));
  CHECK(l.waits[1].length_s() == Approx(-0.004));
  const Latency strict = latency_of(kDay, "Up", {10.003, 20.004}, 0);
  CHECK(strict.waits.size() == 1);
}

TEST_CASE("a running mean tells after how many cycles it was known") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  const auto rounds = [&](std::size_t n, double spread) {
    std::normal_distribution<double> z;
    std::vector<VisitFigures> out;
    for (std::size_t i = 0; i < n; ++i) {
      const double t = static_cast<double>(i);
      VisitFigures up, rest;
      up.visit = {"Up", t, t + 0.25};
      up.charge = 1e-3 * (1 + spread * z(chance));
      rest.visit = {"Rest", t + 0.25, t + 1};
      rest.charge = 1e-3;
      out.push_back(up);
      out.push_back(rest);
    }
    return out;
  };
  const Convergence same = convergence_of(rounds(40, 0), "Up");
  REQUIRE(same.steps.size() > 20);
  CHECK(same.steps.front().cycles == 2);
  CHECK(same.steps.back().cycles == 38);  // the first entry was not seen, the last cycle not ended
  CHECK(same.steps.back().mean == Approx(2e-3));
  CHECK(same.within(0.01) == 2);
  // 10 % of half the charge: its mean is known to 1 % when t * 5 % / sqrt(n) is, at n = 97 or so.
  std::size_t early = 0, late = 0, inside = 0;
  for (int i = 0; i < 100; ++i) {
    const Convergence c = convergence_of(rounds(400, 0.1), "Up");
    const auto n = c.within(0.01);
    REQUIRE(n);
    early += *n < 50;
    late += *n > 200;
    for (const RunningMean& r : c.steps) {
      if (r.cycles == 20) inside += std::fabs(r.mean - 2e-3) <= r.U;
    }
    CHECK(c.steps.size() < 200);
  }
  INFO("seed " << seed);
  CHECK(early + late <= 5);
  CHECK(inside >= 85);
  CHECK_FALSE(convergence_of(rounds(20, 0.1), "Up").within(0.001));
  CHECK_FALSE(convergence_of(rounds(2, 0.1), "Up").within(0.01));
  CHECK(convergence_of({}, "Up").steps.empty());
}
