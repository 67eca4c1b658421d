// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/input_settings.h"

#include <catch2/catch.hpp>

using namespace kuvio::acquire;

TEST_CASE("a ceiling refuses what is above it, and nothing where there is none") {
  Ceiling none;
  CHECK_FALSE(none.any());
  CHECK(none.refuses_voltage(1000).empty());
  const Ceiling c{3.9, 0.45};
  CHECK(c.any());
  CHECK(c.refuses_voltage(3.9).empty());
  CHECK(c.refuses_voltage(3.9 * (1 + 1e-15)).empty());  // a rounding is not above it
  CHECK_THAT(c.refuses_voltage(3.901), Catch::Contains("ceiling of 3.900"));
  CHECK(c.refuses_voltage(-5).empty());
  CHECK_THAT(c.refuses_current(0.4501), Catch::Contains("450.1") && Catch::Contains("450.0"));
  CHECK((Ceiling{3.9, {}}).refuses_current(100).empty());
}
