// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/satchel.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <map>

using namespace kuvio::sim;

TEST_CASE("the device keeps to its states and charges") {
  Satchel device(firmware("2.3.0"), 5);
  std::vector<std::string> log;
  device.print = [&](double, double, const std::string& line) { log.push_back(line); };
  device.power(1, 0, true);
  device.advance(500);
  device.command(500, "uplink");
  device.advance(1000);
  std::map<std::string, double> charge, time;
  double at = 0;
  for (const Stretch& s : device.stretches()) {
    REQUIRE(s.from_s == Approx(at));
    at = s.to_s;
    charge[s.state] += s.charge(s.from_s, s.to_s);
    time[s.state] += s.to_s - s.from_s;
  }
  CHECK(charge["Uplink"] == Approx(0.105).epsilon(0.02));
  CHECK(time["Linger"] == Approx(2).epsilon(0.02));
  CHECK(charge["Boot"] == Approx(0.0216));
  CHECK(charge["Off"] == 0);
  CHECK(charge["Hibernate"] / time["Hibernate"] == Approx(3.1e-6));
  CHECK(log.front() == "boot satchel 2.3.0");
  CHECK(std::count(log.begin(), log.end(), "uplink start") == 1);
  CHECK(std::count(log.begin(), log.end(), "wake: timer") >= 15);
}

TEST_CASE("locate lengths depend on seed and fix, not on the build") {
  const auto locates = [](const char* build, std::uint64_t seed) {
    Satchel device(firmware(build), seed);
    device.power(0, 0, true);
    std::vector<double> out;
    for (int i = 1; i <= 3; ++i) device.command(i * 100.0, "uplink");
    device.advance(500);
    for (const Stretch& s : device.stretches()) {
      if (s.state == "Locate") out.push_back(s.to_s - s.from_s);
    }
    return out;
  };
  CHECK(locates("2.3.0", 1).size() == 3);
  CHECK(locates("2.3.0", 1)[2] == Approx(locates("2.4.0-rc1", 1)[2]));
  CHECK(locates("2.3.0", 1)[2] != Approx(locates("2.3.0", 2)[2]));
}

TEST_CASE("held in reset the device draws its pull-up alone, and boots when it is let go") {
  Satchel device(firmware("2.3.0"), 5);
  std::vector<std::string> log;
  device.print = [&](double, double, const std::string& line) { log.push_back(line); };
  device.power(0, 0, true);
  device.advance(30);
  device.pin(30, Device::Pin::reset, false);
  device.advance(32);
  device.command(31, "uplink");  // nobody hears it
  CHECK(state_at(device, 0, 31) == "Reset");
  std::size_t cursor = 0;
  CHECK(mean_current(device, 0, 30.5, 31.5, cursor) == Approx(45e-6));
  device.pin(32, Device::Pin::reset, false);  // again: nothing more happens
  device.pin(33, Device::Pin::reset, true);
  device.advance(60);
  CHECK(state_at(device, 0, 33.5) == "Boot");
  CHECK(state_at(device, 0, 40) == "Hibernate");
  CHECK(std::count(log.begin(), log.end(), "boot satchel 2.3.0 (reset pin)") == 1);
  // Powered up with its reset held it waits.
  device.pin(60, Device::Pin::reset, false);
  device.power(61, 0, false);
  device.power(62, 0, true);
  device.advance(64);
  CHECK(state_at(device, 0, 61.5) == "Off");
  CHECK(state_at(device, 0, 63) == "Reset");
  double at = 0;
  for (const Stretch& s : device.stretches()) {
    REQUIRE(s.from_s == Approx(at));
    REQUIRE(s.to_s >= s.from_s);
    at = s.to_s;
  }
}

TEST_CASE("the wake pin asks for an uplink, the service port is told of") {
  Satchel device(firmware("2.3.0"), 5);
  std::vector<std::string> log;
  device.print = [&](double, double, const std::string& line) { log.push_back(line); };
  device.power(0, 0, true);
  device.advance(10);
  device.pin(10, Device::Pin::wake, true);
  device.auxiliary(11, true);
  device.auxiliary(12, true);
  device.auxiliary(13, false);
  device.advance(30);
  CHECK(std::count(log.begin(), log.end(), "wake: schedule") == 1);
  CHECK(std::count(log.begin(), log.end(), "service port: fed") == 1);
  CHECK(std::count(log.begin(), log.end(), "service port: gone") == 1);
}
