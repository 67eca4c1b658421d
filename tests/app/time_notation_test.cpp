// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/time_notation.h"

#include <catch2/catch.hpp>

using namespace kuvio::app;

TEST_CASE("a moment is never written with sixty seconds or sixty minutes") {
  CHECK(time_text(59.99996, 3) == "1:00.000");
  CHECK(time_text(3599.9999, 2) == "1:00:00.00");
  CHECK(time_text(3599.99, 2) == "59:59.99");
  CHECK(time_text(1898.4864, 3) == "31:38.486");
  CHECK(time_text(5, 0) == "0:05");
  CHECK(time_text(-75.5, 1) == "\u22121:15.5");
  CHECK(time_text(-0.0001, 2) == "0:00.00");
}

TEST_CASE("in seconds it is written in seconds") {
  set_time_notation(TimeNotation::seconds);
  CHECK(time_text(1898.4864, 3) == "1898.486\u2009s");
  CHECK(time_text(-0.5, 1) == "\u22120.5\u2009s");
  set_time_notation(TimeNotation::clock);
}
