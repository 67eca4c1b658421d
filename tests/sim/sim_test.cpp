// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/analyser.h"
#include "sim/satchel.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <cstring>
#include <map>

using namespace kuvio::sim;

namespace {
std::vector<float> floats(const std::string& block) {
  const auto digits = static_cast<std::size_t>(block.at(1) - '0');
  const std::size_t length = std::stoul(block.substr(2, digits));
  std::vector<float> out(length / 4);
  std::memcpy(out.data(), block.data() + 2 + digits, length);
  return out;
}
}  // namespace

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

TEST_CASE("the analyser answers, logs and tells of wrong commands") {
  Satchel device(firmware("2.3.0"), 1);
  Analyser a(device, 1, {});
  CHECK_THAT(a.command(0, "*IDN?"), Catch::StartsWith("Kuvio,"));
  CHECK(a.command(0, "FLY:MOON") == "");
  CHECK_THAT(a.command(0, "SYST:ERR?"), Catch::Contains("-113"));
  CHECK_THAT(a.command(0, "syst:err?"), Catch::Contains("No error"));
  a.command(0, "VOLT 99");
  CHECK_THAT(a.command(0, "SYST:ERR?"), Catch::Contains("-222"));
  CHECK(a.command(0, "SOURce:VOLTage 3.3;VOLT?") == "3.300000E+00\n");
  a.command(0, "SENS:SWE:TINT 0.01;INIT");
  a.command(0.5, "OUTP ON");
  CHECK(a.command(1.005, "FETC:ARR:POIN?") == "0,100\n");
  const auto v = floats(a.command(1.005, "FETC:ARR:CURR? 0,100"));
  REQUIRE(v.size() == 100);
  CHECK(v[20] == Approx(0).margin(1e-6));
  CHECK(v[80] == Approx(18e-3).epsilon(0.02));
  CHECK(floats(a.command(1.005, "FETC:ARR:CURR? 0,100")) == v);  // asked again, the same
}

TEST_CASE("a bench faster than real time waits for whoever fetches, and for nobody else") {
  Satchel device(firmware("2.3.0"), 1);
  Analyser a(device, 1, {});
  a.command(5, "SENS:SWE:TINT 0.01;INIT");
  CHECK(std::isinf(a.waits_at(60)));
  a.command(7, "FETC:ARR:CURR? 0,100");
  CHECK(a.waits_at(60) == Approx(5 + 1 + 60));
  a.command(8, "ABOR");
  CHECK(std::isinf(a.waits_at(60)));
}

TEST_CASE("over-current switches the output off, and says so") {
  Satchel device(firmware("2.3.0"), 1);
  Analyser a(device, 1, {});
  a.command(0, "CURR 0.01;OUTP ON");
  a.advance(0.5);
  CHECK(a.command(0.6, "OUTP?") == "0\n");
  CHECK_THAT(a.command(0.6, "SYST:ERR?"), Catch::Contains("over-current"));
}

TEST_CASE("faults are read or refused") {
  Faults f;
  add_fault(f, "lost@30:2");
  CHECK(f.lost_to == 32);
  CHECK_THROWS(add_fault(f, "lost"));
  CHECK_THROWS(add_fault(f, "earthquake@3"));
  CHECK_THROWS(firmware("9.9"));
}
