// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/ticks.h"

#include <catch2/catch.hpp>

#include <set>

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
