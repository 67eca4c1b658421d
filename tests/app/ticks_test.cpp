// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/ticks.h"

#include "core/level_scale.h"

#include <catch2/catch.hpp>

#include <set>

using namespace kuvio;
using namespace kuvio::app;

TEST_CASE("time ticks never repeat a label, at any zoom") {
  for (double width = 7200; width > 1e-6; width /= 3.7) {
    const double from = 1834.5123456;
    const auto ticks = time_ticks(from, from + width, 7);
    REQUIRE(ticks.size() >= 2);
    REQUIRE(ticks.size() <= 9);
    std::set<std::string> labels;
    for (const Tick& t : ticks) {
      CHECK(t.at >= from - width * 1e-6);
      labels.insert(t.label);
    }
    CHECK(labels.size() == ticks.size());
  }
  CHECK(time_ticks(0, 3600, 6)[1].label == "10:00");
  CHECK(time_ticks(5, 5, 6).empty());
}

TEST_CASE("value ticks carry one prefix, decades their own") {
  const auto linear = value_ticks(0, 0.24, 6, "A");
  CHECK(linear.front().label == "0\u2009mA");
  CHECK(linear.back().label == "200\u2009mA");
  const auto log = log_ticks(1e-6, 1, 240, 54, "A");
  CHECK(log.front().label == "1\u2009µA");
  CHECK(log.back().label == "1\u2009A");
  CHECK(log.size() == 7);  // rulings closer than 6 px are dropped
  CHECK(log_ticks(1e-6, 1, 600, 54, "A").size() == 7 + 6 * 8);
}

TEST_CASE("the scale through zero is odd, rises, and has decades away from zero") {
  for (const double quiet : {1e-9, 1e-6, 0.5}) {
    double last = -1e9;
    for (double v : {-1e6, -30.0, -1.0, -0.01, 0.0, 0.01, 1.0, 30.0, 1e6}) {
      v *= quiet;
      const double place = symlog(v, quiet);
      CHECK(place > last);
      last = place;
      CHECK(symlog(-v, quiet) == Approx(-place).margin(1e-12));
      CHECK(from_symlog(place, quiet) == Approx(v).epsilon(1e-9).margin(1e-12 * quiet));
    }
    CHECK(symlog(1e5 * quiet, quiet) - symlog(1e4 * quiet, quiet) == Approx(1).epsilon(1e-6));
  }
}

TEST_CASE("ticks through zero stand at zero and decades, labels keep clear of each other") {
  const double quiet = 1e-5;
  for (const double pixels : {40.0, 90.0, 200.0, 500.0}) {
    const double from = symlog(-0.05, quiet), to = symlog(0.3, quiet);
    const auto ticks = both_ways_ticks(from, to, quiet, pixels, "A");
    double last = -1e9;
    bool zero = false;
    for (const Tick& t : ticks) {
      CHECK(t.at >= from - 1e-6);
      CHECK(t.at <= to + 1e-6);
      if (t.label.empty()) continue;
      CHECK((t.at - last) / (to - from) * pixels > 12);
      last = t.at;
      zero = zero || t.label == "0\u2009A";
      const double value = from_symlog(t.at, quiet);
      if (std::fabs(value) > quiet / 2) {
        const double decade = std::log10(std::fabs(value));
        CHECK(decade == Approx(std::round(decade)).margin(1e-6));
      }
    }
    CHECK(zero);
  }
  CHECK(both_ways_ticks(1, 1, quiet, 100, "A").empty());
}
