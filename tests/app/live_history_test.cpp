// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/live_history.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <limits>

using namespace kuvio;
using namespace kuvio::app;

namespace {

acquire::LiveChannel read(double value) {
  acquire::LiveChannel c;
  c.name = "I";
  c.quantity = Quantity::current;
  c.unit = "A";
  c.last = c.min = c.max = value;
  return c;
}

acquire::LiveChannel recorded(double sum, double observed_s, double min, double max) {
  acquire::LiveChannel c = read(max);
  c.min = min;
  c.sum = sum;
  c.observed_s = observed_s;
  return c;
}

}  // namespace

TEST_CASE("readings are kept as long as is asked for, and their mean is over time") {
  LiveHistory h;
  h.keep(10);
  CHECK_FALSE(h.between("I", 0, 1));
  // 1 A for three seconds, then 5 A for one: 2 A in the mean, not 3.
  h.add(read(1), 0);
  h.add(read(1), 3);
  h.add(read(5), 4);
  const auto f = h.between("I", 0, 4);
  REQUIRE(f);
  CHECK(f->mean == Approx(2));
  CHECK(f->min == 1);
  CHECK(f->max == 5);
  h.add(read(2), 13.5);
  CHECK(h.find("I")->points.size() == 2);  // those of 4 s and 13.5 s
  CHECK(h.now_s() == 13.5);
  CHECK_FALSE(h.between("I", 5, 6));
  CHECK(h.between("I", 4, 4)->mean == 5);  // a point alone is its own mean
}

TEST_CASE("what nothing reads any more is no channel") {
  LiveHistory h;
  acquire::LiveChannel other = read(2);
  other.name = "V";
  h.add(read(1), 0);
  h.add(other, 0);
  h.keepOnly({"V"});
  CHECK_FALSE(h.find("I"));
  REQUIRE(h.find("V"));
  CHECK(h.find("V")->points.size() == 1);
}

TEST_CASE("what is over range is no reading, and nothing is known until the next") {
  LiveHistory h;
  acquire::LiveChannel over = read(9.9e37);
  over.out_of_range = Flag::over_range;
  h.add(over, 0);
  CHECK_FALSE(h.find("I"));
  h.add(read(1), 1);
  h.add(over, 2);
  h.add(read(3), 3);
  REQUIRE(h.find("I")->points.size() == 2);
  CHECK(h.find("I")->points.back().begins);
  CHECK(h.between("I", 0, 3)->max == 3);
}

TEST_CASE("of a recording a report's mean is what flowed since the one before") {
  LiveHistory h;
  h.breakOff();
  h.addRecorded(recorded(1e-3, 1, 0.5e-3, 2e-3), 1);
  h.addRecorded(recorded(1e-3 + 4e-3, 2, 3e-3, 5e-3), 2);
  h.addRecorded(recorded(5e-3, 2, 3e-3, 5e-3), 2.5);  // nothing came
  const auto& points = h.find("I")->points;
  REQUIRE(points.size() == 2);
  CHECK(points[0].begins);
  CHECK(points[0].mean == Approx(1e-3));
  CHECK(points[1].mean == Approx(4e-3));
  CHECK(points[1].max == 5e-3);
  CHECK_FALSE(points[1].begins);
  // The next recording counts from nothing again.
  h.breakOff();
  h.addRecorded(recorded(2e-3, 1, 2e-3, 2e-3), 4);
  REQUIRE(h.find("I")->points.size() == 3);
  CHECK(h.find("I")->points.back().mean == Approx(2e-3));
  CHECK(h.find("I")->points.back().begins);
}

TEST_CASE(
    "a stroke ends where nothing was read, where time stands still, and where there is no number") {
  LiveHistory h;
  h.add(read(1), 0);
  h.add(read(2), 1);
  h.breakOff();
  h.add(read(3), 100);
  h.add(read(4), 100);  // stands still
  h.add(read(4), 99);   // goes back
  h.add(read(std::numeric_limits<double>::quiet_NaN()), 101);
  h.add(read(std::numeric_limits<double>::infinity()), 102);
  const auto& points = h.find("I")->points;
  REQUIRE(points.size() == 3);
  CHECK(points[2].begins);
  // The hundred seconds between are nobody's: the mean of all is that of the second they stand for.
  CHECK(h.between("I", 0, 100)->mean == Approx(2));
  h.clear();
  CHECK(h.channels().empty());
  CHECK(h.now_s() == 0);
}

TEST_CASE("it never holds more than a bound, however long and fast it reads") {
  LiveHistory h;
  h.keep(1e9);
  for (int i = 0; i < 50'000; ++i) h.add(read(i), i);
  CHECK(h.find("I")->points.size() == 20'000);
  CHECK(h.find("I")->points.back().mean == 49'999);
}
