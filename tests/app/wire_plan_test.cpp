// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/wire_plan.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;
using Drawing = WireLine::Drawing;

namespace {

acquire::LiveChannel channel(const char* name, Quantity quantity, double value) {
  acquire::LiveChannel c;
  c.name = name;
  c.quantity = quantity;
  c.unit = quantity == Quantity::current ? "A" : "V";
  c.last = c.min = c.max = value;
  return c;
}

/// A bench with one output at 3.6 V that trips at 0.4 A, and what may be changed of it.
struct OnTheBench {
  BenchState state;
  Wiring wiring;
  std::map<std::string, Shunt> shunts;
  std::map<std::string, QString> pencils;
  std::map<std::string, acquire::Ceiling> ceilings;
  std::optional<double> peak, line_ago;
  QString since;

  OnTheBench() {
    wiring.output = QStringLiteral("scpi+tcp://192.0.2.7:5025");
    state.phase = BenchState::Phase::ready;
    state.output.identity = "Acme,Source 7,0042,1.0";
    state.output.outputs = {{"", false}};
    state.output.set = {{"", false, 3.6, 0.4, true}};
    state.output.currents = {"I"};
    state.output.voltages = {"V"};
    state.channels = {channel("I", Quantity::current, 61.2e-6),
                      channel("V", Quantity::voltage, 3.598)};
  }
  WirePlan plan() const {
    return wire_plan({state,
                      wiring,
                      shunts,
                      QStringLiteral("2.4.0"),
                      QStringLiteral("board 7"),
                      pencils,
                      ceilings,
                      {QStringLiteral("radio_on")},
                      line_ago,
                      1,
                      false,
                      since,
                      peak});
  }
  WireLine line() const { return plan().lines.front(); }
};

bool contains(const QString& text, const char* part) {
  return text.contains(QString::fromUtf8(part));
}

}  // namespace

TEST_CASE("a source says what it is, what it is set to and what it reads") {
  OnTheBench b;
  CHECK(b.line().source.title == QStringLiteral("Source 7 · 3.60\u2009V, trips at 400\u2009mA"));
  CHECK(contains(b.line().source.reading, "61.20"));
  CHECK(b.line().switch_text == QStringLiteral("Switch on 3.60\u2009V"));
  b.state.output.set[0].cut_off = false;
  CHECK(contains(b.line().source.title, "limits at"));
  b.state.output.set[0].current_limit = b.state.output.set[0].voltage = 0;
  CHECK(contains(b.line().source.title, "measures only"));
  CHECK(b.plan().device.reading == QStringLiteral("2.4.0"));
}

TEST_CASE("a reading over range is said in words, not as a number of amperes") {
  OnTheBench bench;
  bench.state.channels[0].last = 9.9e37;
  bench.state.channels[0].out_of_range = Flag::over_range;
  CHECK(bench.line().source.reading == QStringLiteral("over range · 3.598\u2009V"));
  bench.state.channels[1].out_of_range = Flag::not_a_number;
  CHECK(bench.line().source.reading == QStringLiteral("over range · not a number"));
}

TEST_CASE("a log that makes no text says so where its last line's age would be") {
  OnTheBench bench;
  bench.wiring.log = QStringLiteral("log+serial:/dev/ttyUSB0");
  bench.line_ago = 3;
  const auto log = [&] {
    for (const Station& s : bench.plan().listeners)
      if (s.id == QLatin1String("log")) return s;
    FAIL("no log");
    return Station{};
  };
  CHECK(contains(log().reading, "3 s ago"));
  CHECK(log().warning.isEmpty());
  bench.state.log_no_text = true;
  CHECK(log().reading == QStringLiteral("no text"));
  CHECK(contains(log().warning, "another speed"));
}

TEST_CASE("the four drawings: off, on, unknown, silent") {
  OnTheBench b;
  CHECK(b.line().drawing == Drawing::off);
  b.state.output.outputs[0].second = b.state.output_on = true;
  CHECK(b.line().drawing == Drawing::on);
  CHECK(b.line().switch_text == QStringLiteral("Switch off"));
  b.state.phase = BenchState::Phase::recording;
  CHECK(b.line().drawing == Drawing::on);
  b.state.away = "it hung up";
  CHECK(b.line().drawing == Drawing::unknown);
  CHECK(b.line().state_text == QStringLiteral("may be on"));
  CHECK(b.line().switch_text.isEmpty());
  b.state.away.clear();
  b.state.phase = BenchState::Phase::lost;
  b.since = QStringLiteral("14:02:31");
  CHECK(b.line().drawing == Drawing::silent);
  CHECK(b.line().was_on);  // as last known
  CHECK(b.line().state_text == QStringLiteral("silent since 14:02:31"));
  b.state.phase = BenchState::Phase::ready;
  b.state.output.silent_s = 2.5;
  CHECK(b.line().drawing == Drawing::silent);
}

TEST_CASE("before anything is opened the wire shows what would be, and nothing is claimed") {
  OnTheBench b;
  b.state = {};
  CHECK(b.line().drawing == Drawing::unconnected);
  CHECK(b.line().source.title == QStringLiteral("192.0.2.7"));
  CHECK(b.line().switch_text.isEmpty());
  b.wiring = {};
  CHECK(b.line().source.title == QStringLiteral("Nothing connected"));
  CHECK(b.plan().listeners.size() == 1);
  CHECK(b.plan().listeners.front().title == QStringLiteral("What is plugged in?"));
}

TEST_CASE("without an output of ours the device is fed by something else") {
  OnTheBench b;
  b.wiring.output.clear();
  b.wiring.others << QStringLiteral("lines:/tmp/log");
  b.state.output = {};
  b.state.output.has_output = false;
  CHECK(b.line().drawing == Drawing::elsewhere);
  CHECK(b.line().source.title == QStringLiteral("Fed by something else"));
  // An instrument that only measures is no source either.
  OnTheBench meter;
  meter.state.output.outputs.clear();
  meter.state.output.set.clear();
  CHECK(meter.line().drawing == Drawing::elsewhere);
  CHECK(contains(meter.line().source.reading, "Source 7 only measures"));
}

TEST_CASE("two outputs are a line each with readings of their own, an auxiliary one is none") {
  OnTheBench b;
  b.state.output.outputs = {{"1", true}, {"2", false}, {"aux", true}};
  b.state.output.set = {
      {"1", false, 3.6, 0.4, true}, {"2", false, 5, 1, true}, {"aux", true, 5, 0, true}};
  b.state.output.currents = {"I1", "I2"};
  b.state.output.voltages = {"V1", "V2"};
  b.state.channels = {channel("I1", Quantity::current, 1e-3),
                      channel("I2", Quantity::current, 2e-3),
                      channel("V1", Quantity::voltage, 3.6)};
  const WirePlan plan = b.plan();
  REQUIRE(plan.lines.size() == 2);
  CHECK(plan.lines[0].drawing == Drawing::on);
  CHECK(plan.lines[1].drawing == Drawing::off);
  CHECK(contains(plan.lines[0].source.reading, "1.000"));
  CHECK(contains(plan.lines[1].source.reading, "2.000"));
  CHECK(plan.lines[1].source.id == QStringLiteral("source:2"));
  CHECK(plan.inWords().size() == 3);  // two lines, and what listens
  // Names that do not say which is whose: by their place.
  b.state.output.currents = {"Ia", "Ib"};
  b.state.channels[1].name = "Ib";
  CHECK(channel_of_output(b.state, "2", Quantity::current)->name == "Ib");
  CHECK(channel_of_output(b.state, "2", Quantity::voltage) == nullptr);
}

TEST_CASE("a shunt says what it drops and burns, and when that is too much") {
  OnTheBench b;
  CHECK(b.line().path.size() == 1);  // the place for one
  CHECK(b.line().path.front().kind == Station::Kind::add);
  b.shunts["I"] = {10, 0.25, ""};
  // 61.2 uA through 10 Ohm: 612 uV and 37.5 nW, by hand.
  CHECK(contains(b.line().path.front().reading, "612"));
  CHECK(contains(b.line().path.front().reading, "37.5"));
  CHECK(b.line().path.front().warning.isEmpty());
  b.state.channels[0].max = 0.02;  // 200 mV of 3.6 V is 5.6 %
  CHECK(b.line().path.front().warning == QStringLiteral("drops 6 % of the supply"));
  b.state.channels[0].max = 0.2;  // 0.4 W
  CHECK(contains(b.line().path.front().warning, "over its rating"));
  // A voltage channel is the drop itself: 1 V over 10 Ohm is 100 mA, a tenth of a watt.
  b.shunts = {{"V", {10, {}, ""}}};
  b.state.channels[1].max = 1;
  CHECK(contains(b.line().path.front().reading, "100\u2009mW"));
}

TEST_CASE("what is wrong is said at its station before anything is recorded") {
  OnTheBench b;
  CHECK(b.line().source.warning == QStringLiteral("no ceiling set"));
  b.ceilings[""] = {3.9, {}};
  CHECK(b.line().source.warning.isEmpty());
  b.peak = 0.5;
  CHECK(contains(b.line().source.warning, "the budget allows peaks of 500"));
  b.peak = 0.3;
  CHECK(b.line().source.warning.isEmpty());
  b.shunts["I"] = {10, 0.25, ""};  // 0.3 A squared times 10 Ohm: 0.9 W
  CHECK(contains(b.line().path.front().warning, "budget's peak"));
  b.pencils[""] = QStringLiteral("3.9 V is not set");
  CHECK(b.line().pencil == QStringLiteral("3.9 V is not set"));
  CHECK(contains(b.plan().inWords().front(), "3.9 V is not set"));
}

TEST_CASE("what listens hangs from the device, with its last line's age or its trouble") {
  OnTheBench b;
  b.wiring.log = QStringLiteral("log+tcp://192.0.2.7:7");
  b.wiring.others << QStringLiteral("stream+tcp://192.0.2.8:9");
  b.line_ago = 42;
  acquire::InputState other;
  other.address = "stream+tcp://192.0.2.8:9";
  other.identity = "Acme,Digitiser,1,2";
  other.phase = acquire::LinkPhase::lost;
  other.trouble = "it hung up";
  b.state.others = {other};
  const WirePlan plan = b.plan();
  REQUIRE(plan.find(QStringLiteral("log")));
  CHECK(plan.find(QStringLiteral("log"))->reading == QStringLiteral("last line 42 s ago"));
  REQUIRE(plan.find(QStringLiteral("logic")));
  const Station* digitiser = plan.find(QStringLiteral("input:stream+tcp://192.0.2.8:9"));
  REQUIRE(digitiser);
  CHECK(digitiser->title == QStringLiteral("Digitiser"));
  CHECK(digitiser->warning == QStringLiteral("it hung up"));
  CHECK(plan.find(QStringLiteral("nothing")) == nullptr);
  // While it is recorded it says what the recording reads, never what was read before.
  other.phase = acquire::LinkPhase::ready;
  other.trouble.clear();
  other.channels = {channel("I_shunt", Quantity::current, 80e-9)};
  b.state.others = {other};
  const auto reads = [&] {
    return b.plan().find(QStringLiteral("input:stream+tcp://192.0.2.8:9"))->reading;
  };
  CHECK(contains(reads(), "80.00"));
  b.state.phase = BenchState::Phase::recording;
  CHECK(reads() == QStringLiteral("no reading yet"));
  b.state.channels.push_back(channel("I_shunt", Quantity::current, 38e-6));
  b.state.channels.back().observed_s = 1;
  CHECK(contains(reads(), "38.00"));
}

TEST_CASE("outputs that the instrument has joined are one line, and it says how") {
  OnTheBench b;
  b.state.output.outputs = {{"1+2", true}};
  b.state.output.set = {{"1+2", false, 24, 0.4, true}};
  b.state.output.joined = "1+2";
  b.state.output.joined_how = "in series";
  REQUIRE(b.plan().lines.size() == 1);
  CHECK(contains(b.line().source.title, "outputs 1+2 in series · 24.0"));
  CHECK(b.line().source.id == QStringLiteral("source:1+2"));
  CHECK(contains(b.line().source.reading, "61.20"));
  // A ceiling of one of them says nothing of both together.
  b.ceilings["1"].voltage = 15;
  CHECK(b.line().source.warning == QStringLiteral("no ceiling set"));
}
