// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/meter.h"

#include "sim/satchel.h"

#include <catch2/catch.hpp>

#include <algorithm>

using namespace kuvio::sim;

TEST_CASE("the meter gives each reading once, oldest first, and tells of wrong commands") {
  Satchel device(firmware("2.3.0"), 5);
  device.power(0, 0, true);
  Meter meter(device, 2);
  CHECK(meter.command(0, "*IDN?") == "Kuvio,Simulated meter,1,1.0\n");
  meter.command(0, "TRIG:TIM 0.01");
  meter.command(0, "INIT");
  CHECK(meter.command(1, "FETC:COUN?") == "100\n");
  const std::string first = meter.command(1, "FETC:NEXT? 60");
  CHECK(std::count(first.begin(), first.end(), ',') == 59);
  CHECK(std::stod(first) == Approx(18e-3).epsilon(0.01));
  CHECK(meter.command(1, "FETC:COUN?") == "40\n");
  const std::string rest = meter.command(1, "FETC:NEXT? 60");
  CHECK(std::count(rest.begin(), rest.end(), ',') == 39);
  meter.command(1, "TRIG:TIM 99");
  CHECK(meter.command(1, "SYST:ERR?").starts_with("-222"));
  meter.command(1, "NONSENSE");
  CHECK(meter.command(1, "SYST:ERR?").starts_with("-113"));
  CHECK(meter.command(1, "SYST:ERR?").starts_with("+0"));
}

TEST_CASE("lines of the logger follow each other without a gap") {
  Satchel device(firmware("2.3.0"), 5);
  device.power(0, 0, true);
  TextLogger logger(device, 1, 100, true);
  CHECK(logger.header() == "t [ms],I [mA],U [V]\r\n");
  std::string all;
  for (int i = 1; i <= 10; ++i) {
    device.advance(i * 0.1 + 0.1);
    all += logger.send(i * 0.1, 3.6);
  }
  CHECK(logger.lines() == 100);
  CHECK(std::count(all.begin(), all.end(), '\n') == 100);
  CHECK(all.starts_with("0.000,18.0"));
  CHECK(all.find("990.000,") != std::string::npos);
}
