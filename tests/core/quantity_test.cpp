// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("quantities are read to SI") {
  CHECK(parse_quantity("3.1 uA", Dimension::current) == Approx(3.1e-6));
  CHECK(parse_quantity("3.1 \u00b5A", Dimension::current) == Approx(3.1e-6));
  CHECK(parse_quantity("3.1\u03bcA", Dimension::current) == Approx(3.1e-6));
  CHECK(parse_quantity("-2e-3 A", Dimension::current) == Approx(-2e-3));
  CHECK(parse_quantity("1200 mAh", Dimension::charge) == Approx(4320));
  CHECK(parse_quantity("38 mC", Dimension::charge) == Approx(0.038));
  CHECK(parse_quantity("2 y", Dimension::time) == Approx(63115200));
  CHECK(parse_quantity("1 month", Dimension::time) == Approx(30.4375 * 86400));
  CHECK(parse_quantity("4 /d", Dimension::frequency) == Approx(4 / 86400.0));
  CHECK(parse_quantity("1 kHz", Dimension::frequency) == Approx(1000));
  CHECK(parse_quantity("1 %/y", Dimension::ratio_per_time) == Approx(0.01 / 31557600));
  CHECK(parse_quantity("12 Ohm", Dimension::resistance) == Approx(12));
}

TEST_CASE("a quantity without a unit or with another's is refused with a reason") {
  CHECK_THROWS_WITH(parse_quantity("4", Dimension::current),
                    Catch::Contains("no unit") && Catch::Contains("current"));
  CHECK_THROWS_WITH(parse_quantity("4 V", Dimension::current), Catch::Contains("unit of current"));
  CHECK_THROWS_WITH(parse_quantity("about 4 mA", Dimension::current), Catch::Contains("number"));
  CHECK_THROWS(parse_quantity("", Dimension::time));
  CHECK_THROWS(parse_quantity("inf A", Dimension::current));
  CHECK_THROWS(parse_quantity("4 /V", Dimension::frequency));
}

TEST_CASE("each quantity of channels has a key and the unit of its dimension") {
  for (const Quantity q : {Quantity::current, Quantity::voltage, Quantity::power, Quantity::charge,
                           Quantity::logic, Quantity::other}) {
    INFO(info(q).key);
    CHECK(quantity_of(info(q).key) == q);
    if (info(q).dimension != Dimension::ratio)
      CHECK(info(q).unit == unit_symbol(info(q).dimension));
  }
  CHECK(info(Quantity::charge).unit == "C");
  CHECK(quantity_of("humidity") == Quantity::other);
}
