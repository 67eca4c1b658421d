// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/device_log.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;

TEST_CASE("device text is cut into lines, stamps taken off") {
  LineCutter cutter(true);
  std::vector<DeviceLine> out;
  const double now = 100;
  cutter.take("[12.5] wake: ti", now, out);
  CHECK(out.empty());
  cutter.take("mer\r\n\r\n[x] odd\nplain", now, out);
  cutter.finish(out);
  REQUIRE(out.size() == 3);
  CHECK(out[0].text == "wake: timer");
  CHECK(*out[0].uptime_s == 12.5);
  CHECK(out[1].text == "[x] odd");
  CHECK_FALSE(out[1].uptime_s);
  CHECK(out[2].text == "plain");
}
