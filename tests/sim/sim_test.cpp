// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/analyser.h"
#include "sim/digitiser.h"
#include "sim/meter.h"
#include "sim/perch.h"
#include "sim/satchel.h"

#include <catch2/catch.hpp>

#include <algorithm>
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

TEST_CASE("the digitiser remembers what it sent, dropped and garbled, on its own clock") {
  Satchel device(firmware("2.3.0"), 5);
  device.power(0, 0, true);
  DigitiserSettings settings;
  settings.rate_hz = 1000;
  settings.drift_ppm = 1000;
  settings.drop = 0.2;
  settings.garble = 0.1;
  Digitiser digitiser(device, 3, settings);
  std::string bytes;
  for (int i = 1; i <= 100; ++i) {
    device.advance(i * 0.1 + 0.1);
    bytes += digitiser.send(i * 0.1, 3.6);
  }
  const Digitiser::Truth& t = digitiser.truth();
  CHECK(t.samples_a_frame == 20);
  CHECK(t.frames * 20 == Approx(10'010).margin(20));  // a per mille fast
  CHECK(static_cast<std::int64_t>(t.sent.size()) == t.frames);
  CHECK(t.samples + t.samples_lost == t.frames * 20);
  CHECK(t.dropped > 50);
  CHECK(t.garbled > 20);
  std::int64_t whole = 0, next = 0;
  for (const auto& f : t.sent) {
    CHECK(f.first == next);
    next += 20;
    whole += f.whole;
  }
  CHECK(whole * 20 == t.samples);
  std::size_t frames = 0;
  for (auto at = bytes.find("KVST"); at != std::string::npos; at = bytes.find("KVST", at + 4))
    frames += static_cast<unsigned char>(bytes[at + 5]) == 2;
  CHECK(frames == static_cast<std::size_t>(t.frames - t.dropped));
}

TEST_CASE("asked for the time the digitiser answers with its count") {
  Satchel device(firmware("2.3.0"), 5);
  Digitiser digitiser(device, 3, {});
  device.advance(3);
  digitiser.send(2.5, 3.6);
  CHECK(digitiser.take(2.5, "junk before").empty());
  // A frame of type 5 with eight bytes of the asker's own.
  std::string ask("KVST");
  for (const int byte : {1, 5, 8, 0, 0, 0, 0, 0}) ask += static_cast<char>(byte);
  ask += "abcdefgh";
  ask.append(4, '\0');  // it does not look at the checksum
  std::string answer = digitiser.take(2.5, ask.substr(0, 10));
  answer += digitiser.take(2.5, ask.substr(10));
  REQUIRE(answer.size() == 12 + 16 + 4);
  CHECK(static_cast<int>(answer[5]) == 4);
  CHECK(answer.substr(12, 8) == "abcdefgh");
  std::uint64_t count = 0;
  std::memcpy(&count, answer.data() + 20, 8);
  CHECK(count == 2500);
}

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

TEST_CASE("the nest-box counter hands its panel's charge to the cell in bursts") {
  Perch device(4);
  std::vector<std::string> log;
  device.print = [&](double, double, const std::string& line) { log.push_back(line); };
  device.power(0, 0, true);
  device.advance(30);
  std::size_t cursor = 0, other = 0;
  CHECK(mean_current(device, 0, 5, 25, cursor) > 45e-6);
  CHECK(mean_current(device, 1, 5, 25, other) == Approx(0).margin(1e-12));  // no panel yet
  device.power(30, 1, true);
  device.advance(58);
  CHECK(mean_current(device, 1, 35, 58, other) == Approx(60e-6));
  device.advance(400);  // the sun came at 60 s
  const auto bursts = [&](double from, double to) {
    int n = 0;
    for (const Stretch& s : device.stretches(0))
      n += s.state == "Harvest" && s.from_s >= from && s.from_s < to;
    return n;
  };
  // 4 mA x 0.85 fill 8.5 mC in 2.5 s.
  CHECK(bursts(100, 350) == Approx(100).margin(2));
  // What comes back is what the panel gave, less the harvester's loss.
  double in = 0, panel = 0;
  for (const Stretch& s : device.stretches(0))
    if (s.state == "Harvest" && s.to_s < 400) in += (48e-6 - s.level_a) * (s.to_s - s.from_s);
  for (const Stretch& s : device.stretches(1))
    if (s.to_s < 400) panel += s.level_a * (s.to_s - s.from_s);
  CHECK(in == Approx(panel * Perch::kEfficiency).margin(1.1 * Perch::kBurstC));
  device.command(400, "shade");
  device.advance(1000);
  CHECK(bursts(405, 1000) == Approx(3.5).margin(1.5));  // 51 uA fill it in 167 s
  CHECK(std::count(log.begin(), log.end(), "panel: sun") == 1);
  CHECK(std::count(log.begin(), log.end(), "panel: shade") == 1);
  CHECK_FALSE(device.lines(404.9) & 1U);
  // Neighbouring stretches meet, whatever happened.
  for (const int port : {0, 1}) {
    const auto& all = device.stretches(port);
    for (std::size_t i = 1; i < all.size(); ++i) CHECK(all[i].from_s == Approx(all[i - 1].to_s));
  }
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
