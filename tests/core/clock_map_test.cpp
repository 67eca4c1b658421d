// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clock_map.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

/// An hour of frames every 20 ms whose clock is `ppm` fast, over a link with delays of an
/// exponential kind on top of a fixed one.
struct Hour {
  double ppm, fixed_s, scatter_s;
  bool two_way;

  ClockFit fit(std::mt19937_64& random, double length = 3600) const {
    ClockFit out;
    std::exponential_distribution<double> delay(1 / scatter_s);
    for (double t = 0; t < length; t += 0.02) {
      const double own = t * (1 + ppm * 1e-6);
      SyncPoint p{own, -INFINITY, t + 5 + fixed_s + delay(random)};
      if (two_way) p.earliest_s = t + 5 - fixed_s - delay(random);
      out.add(p);
    }
    return out;
  }
};

}  // namespace

TEST_CASE("a clock 200 ppm off is found to a fraction of the link's jitter, after an hour") {
  std::mt19937_64 random(std::random_device{}());
  for (const double ppm : {-200.0, 0.0, 200.0}) {
    for (const bool two_way : {false, true}) {
      const Hour hour{ppm, 0.4e-3, 2e-3, two_way};
      const auto map = hour.fit(random).fit();
      REQUIRE(map);
      for (const double t : {0.0, 1800.0, 3600.0}) {
        const double bias = two_way ? 0 : hour.fixed_s;  // one way, a fixed delay cannot be told
        INFO("ppm " << ppm << ", two-way " << two_way << ", at " << t);
        CHECK(map->at(t * (1 + ppm * 1e-6)) == Approx(t + 5 + bias).margin(60e-6));
      }
      CHECK(map->rate == Approx(1 / (1 + ppm * 1e-6)).margin(5e-8));
    }
  }
}

TEST_CASE("a night of points is kept in a handful of corners, and these give the same fit") {
  std::mt19937_64 random(7);
  const ClockFit night = Hour{37, 1e-3, 5e-3, true}.fit(random, 36000);
  CHECK(night.points() > 1'700'000);
  const auto corners = night.corners();
  CHECK(corners.size() < 200);
  ClockFit again;
  for (const SyncPoint& p : corners) again.add(p);
  CHECK(again.fit()->rate == Approx(night.fit()->rate).epsilon(1e-12));
  CHECK(again.fit()->at(36000) == Approx(night.fit()->at(36000)).margin(1e-9));
}

TEST_CASE("a fit without enough to go by keeps the nominal rate") {
  ClockFit fit;
  CHECK_FALSE(fit.fit());
  fit.add({0, -INFINITY, 10.004});
  fit.add({1, -INFINITY, 11.001});
  fit.add({1.5, -INFINITY, 11.9});
  CHECK(fit.fit()->rate == 1);
  CHECK(fit.fit()->origin_s == Approx(10.001));
  ClockFit both;
  both.add({0, 9.99, 10.01});
  both.add({1, 10.998, 11.004});
  CHECK(both.fit()->origin_s == Approx(10.001));
  CHECK(both.fit()->spread_s == Approx(0.003));
}

TEST_CASE("maps compose and invert") {
  const ClockMap a{3, 1.0002, 1e-4}, b{-7, 0.9999, 0};
  CHECK(compose(a, b).at(100) == Approx(a.at(b.at(100))).epsilon(1e-15));
  CHECK(inverse(a).at(a.at(1234.5)) == Approx(1234.5).epsilon(1e-15));
  CHECK(a.own(a.at(50)) == Approx(50).epsilon(1e-15));
}

TEST_CASE("a one-way link tells by how much its arrivals lie behind the line") {
  std::mt19937_64 random(4);
  std::exponential_distribution<double> late(1 / 2e-3);
  ClockFit fit;
  for (int i = 0; i < 2000; ++i) fit.add({i * 0.1, -INFINITY, 5 + i * 0.1 + late(random)});
  CHECK(fit.fit()->spread_s == Approx(2e-3).epsilon(0.1));
}

TEST_CASE("what waited in a queue and then came all at once is no fast clock") {
  std::mt19937_64 random(12);
  std::exponential_distribution<double> late(1 / 2e-3);
  // Both sides starved: 4 s of frames are handed over in half a second.
  ClockFit fit;
  for (double own = 0; own < 4; own += 0.02)
    fit.add({own, -INFINITY, 100 + own / 8 + late(random)});
  REQUIRE(fit.fit());
  CHECK(fit.fit()->rate == 1);
  CHECK(fit.fit()->at(4) == Approx(100.5).margin(0.03));  // no frame came before it was taken
  // From then on they come as they are taken, and the clock is known again.
  for (double own = 4; own < 600; own += 0.02)
    fit.add({own, -INFINITY, 100.5 + (own - 4) * 1.0001 + late(random)});
  CHECK(fit.fit()->rate == Approx(1.0001).margin(2e-6));

  // A clock that is truly off by more than oscillators are is believed once no queue could hold it.
  ClockFit slow;
  for (double own = 0; own < 600; own += 0.02)
    slow.add({own, -INFINITY, own * 1.05 + late(random)});
  CHECK(slow.fit()->rate == Approx(1.05).margin(1e-5));
  ClockFit mad;
  for (double own = 0; own < 600; own += 0.02) mad.add({own, -INFINITY, own * 1.6});
  CHECK(mad.fit()->rate == 1);
}

TEST_CASE("points that bound a clock from both sides rule out a rate that is told wrongly") {
  // 1 ms from sample to sample, 0.3 s told: it is known from the second question on.
  ClockFit fit;
  fit.add({0, 10, 10.002});
  CHECK(fit.contradiction_s() == 0);
  fit.add({10 * 0.3, -INFINITY, 10.012});
  fit.add({11 * 0.3, 10.010, INFINITY});
  CHECK(fit.contradiction_s() == Approx(10 - (10.012 - 3)).margin(1e-9));
  // A crystal's error is no contradiction worth telling, and a one-way link has none.
  std::mt19937_64 random(3);
  const ClockFit hour = Hour{200, 1e-3, 2e-3, true}.fit(random);
  CHECK(hour.contradiction_s() < 2e-3 * hour.length_s());
  CHECK(Hour{5000, 1e-3, 2e-3, false}.fit(random).contradiction_s() == 0);
}
