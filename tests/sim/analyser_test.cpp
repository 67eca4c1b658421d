// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/analyser.h"

#include "sim/satchel.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <cstring>

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

TEST_CASE("the analyser answers, logs and tells of wrong commands") {
  Satchel device(firmware("2.3.0"), 1);
  Analyser a(device, 1, 1, {});
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
  Analyser a(device, 1, 1, {});
  a.command(5, "SENS:SWE:TINT 0.01;INIT");
  CHECK(std::isinf(a.waits_at(60)));
  a.command(7, "FETC:ARR:CURR? 0,100");
  CHECK(a.waits_at(60) == Approx(5 + 1 + 60));
  a.command(8, "ABOR");
  CHECK(std::isinf(a.waits_at(60)));
}

TEST_CASE("over-current switches the output off, and says so") {
  Satchel device(firmware("2.3.0"), 1);
  Analyser a(device, 1, 1, {});
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

TEST_CASE("the analyser drives a reset and a wake line, and an output beside the device's") {
  Satchel device(firmware("2.3.0"), 5);
  std::vector<std::string> log;
  device.print = [&](double, double, const std::string& line) { log.push_back(line); };
  const auto said = [&](const char* text) { return std::count(log.begin(), log.end(), text); };
  Analyser analyser(device, 1, 1, {});
  CHECK(analyser.command(0, "DEV:RES?;DEV:WAKE?;OUTP? (@2)") == "1;0;0\n");
  analyser.command(0, "OUTP ON");
  analyser.command(5, "DEVice:RESet LOW");
  CHECK(analyser.command(6, "DEV:RES?") == "0\n");
  CHECK(state_at(device, 0, 5.5) == "Reset");
  analyser.command(9, "DEV:RES HIGH");
  analyser.advance(11);
  CHECK(state_at(device, 0, 9.5) == "Boot");
  CHECK(analyser.command(11, "SYST:ERR?") == "0,\"No error\"\n");
  analyser.command(11, "DEV:WAKE MAYBE");
  CHECK(analyser.command(11, "SYST:ERR?").starts_with("-224"));
  analyser.command(11, "DEV:WAKE HIGH");
  analyser.advance(20);
  CHECK(said("wake: schedule") == 1);
  // The second output is set, switched and measured as the first one is, and feeds no device.
  CHECK(analyser.command(20, "VOLT? (@2)") == "5.000000E+00\n");
  analyser.command(20, "OUTP ON,(@2)");
  CHECK(said("service port: fed") == 1);
  CHECK(analyser.command(21, "OUTP? (@2);MEAS:VOLT? (@2)").starts_with("1;5.0"));
  CHECK(std::fabs(std::stod(analyser.command(21, "MEAS:CURR? (@2)"))) < 1e-6);
  analyser.command(22, "VOLT 3,(@2)");
  CHECK(said("service port: gone") == 1);
  CHECK(state_at(device, 0, 21) != "Off");
  analyser.command(23, "VOLT 15.5,(@2)");
  CHECK(analyser.command(23, "SYST:ERR?").starts_with("-222"));
  analyser.command(23, "CURR 2.5");
  CHECK(analyser.command(23, "SYST:ERR?").starts_with("-222"));
  analyser.command(23, "OUTP ON,(@3)");
  CHECK(analyser.command(23, "SYST:ERR?").starts_with("-222"));
}

TEST_CASE("one instrument records several devices: its error stays, its noise does not repeat") {
  Satchel one(firmware("2.3.0"), 1), two(firmware("2.3.0"), 2);
  Analyser a(one, 1, 77, {}), b(two, 2, 77, {}), other(two, 2, 78, {});
  CHECK(a.gain_error() == b.gain_error());
  CHECK(a.offset_error() == b.offset_error());
  CHECK(a.command(0, "*IDN?") == b.command(0, "*IDN?"));
  CHECK(a.gain_error() != other.gain_error());
  CHECK(b.command(0, "*IDN?") != other.command(0, "*IDN?"));
  CHECK(gauss(1, 5) != gauss(2, 5));
}

TEST_CASE("two outputs joined to one give both's voltage, or both's current") {
  Satchel device(firmware("2.3.0"), 1);
  Analyser a(device, 1, 1, {});
  CHECK(a.command(0, "OUTP:JOIN?") == "NONE\n");
  a.command(0, "VOLT 20");
  CHECK_THAT(a.command(0, "SYST:ERR?"), Catch::Contains("-222"));
  a.command(0, "OUTP:JOIN SER");
  CHECK(a.command(0, "OUTP:JOIN?;VOLT 20;VOLT?") == "SER;2.000000E+01\n");
  a.command(0, "VOLT 5,(@2)");
  CHECK_THAT(a.command(0, "SYST:ERR?"), Catch::Contains("joined"));
  a.command(0, "OUTP:JOIN PAR");  // what is more than one can give goes back
  CHECK(a.command(0, "VOLT?;CURR 3;CURR?") == "1.500000E+01;3.000000E+00\n");
  a.command(0, "VOLT 3.6;OUTP ON;OUTP:JOIN NONE");
  CHECK_THAT(a.command(0, "SYST:ERR?"), Catch::Contains("an output is on"));
  CHECK(a.command(0, "OUTP:JOIN?") == "PAR\n");
}
