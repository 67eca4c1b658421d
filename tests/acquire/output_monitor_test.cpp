// SPDX-License-Identifier: GPL-3.0-or-later
// The monitor against the simulated bench, in another process.

#include "acquire/output_monitor.h"

#include "acquire/recorder.h"
#include "book/channel_trace.h"
#include "book/verify.h"
#include "cli/process.h"
#include "core/envelope.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <chrono>
#include <functional>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

bool wait_for(const std::function<bool()>& done, double seconds = 5) {
  const auto until =
      std::chrono::steady_clock::now() + std::chrono::milliseconds(static_cast<int>(seconds * 1e3));
  while (!done() && std::chrono::steady_clock::now() < until)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  return done();
}

std::vector<double> values_of(const Trace& trace) {
  std::vector<double> out;
  for (const Block& b : trace.blocks()) {
    std::vector<double> part(static_cast<std::size_t>(b.count));
    trace.read(b, 0, part);
    out.insert(out.end(), part.begin(), part.end());
  }
  return out;
}

}  // namespace

TEST_CASE("an output is watched, set and switched, and never switched on by itself") {
  test::Bench sim({"--seed", "4", "--speed", "20"});
  OutputMonitor monitor(parse_endpoint(sim.scpi()), parse_endpoint(sim.log()));
  REQUIRE(wait_for([&] { return monitor.state().phase == LinkPhase::ready; }));
  CHECK_THAT(monitor.state().identity, Catch::Contains("Simulated"));
  CHECK_FALSE(monitor.state().on_at_connect);
  REQUIRE(wait_for([&] { return monitor.state().readings.size() > 2; }));
  CHECK_FALSE(monitor.state().output_on);
  monitor.set_voltage(3.3);
  monitor.set_current_limit(0.4);
  monitor.set_cut_off(false);
  REQUIRE(wait_for([&] {
    return !monitor.state().set.empty() && monitor.state().set[0].voltage == Approx(3.3);
  }));
  CHECK(monitor.state().set[0].current_limit == Approx(0.4));
  CHECK_FALSE(monitor.state().set[0].cut_off);
  monitor.execute(output_switched(true));
  REQUIRE(wait_for([&] { return monitor.state().output_on; }));
  REQUIRE(wait_for([&] { return monitor.state().readings.back().voltage > 3; }));
  std::string heard;
  REQUIRE(wait_for([&] {
    for (const DeviceLine& l : monitor.take_lines()) heard += l.text + "\n";
    return heard.find("boot satchel") != std::string::npos;
  }));
  monitor.send("version");
  REQUIRE(wait_for([&] {
    for (const DeviceLine& l : monitor.take_lines()) heard += (l.sent ? "> " : "") + l.text + "\n";
    return heard.find("ok 2.3.0") != std::string::npos;
  }));
  CHECK_THAT(heard, Catch::Contains("> version"));
  monitor.set_voltage(99);  // out of its range: refused, told, and nothing is changed
  std::vector<std::string> messages;
  REQUIRE(wait_for([&] {
    for (std::string& t : monitor.take_errors()) messages.push_back(std::move(t));
    return !messages.empty();
  }));
  CHECK_THAT(messages.back(), Catch::Contains("99 is outside what the profile"));
  CHECK(monitor.state().set[0].voltage == Approx(3.3));
  monitor.execute(output_switched(false));
  REQUIRE(wait_for([&] { return !monitor.state().output_on; }));
}

TEST_CASE("an output found on is told, and one that goes away is lost with its reason") {
  auto sim = std::make_unique<test::Bench>(std::vector<std::string>{"--speed", "5"});
  {
    OutputMonitor first(parse_endpoint(sim->scpi()), {});
    first.execute(output_switched(true));
    REQUIRE(wait_for([&] { return first.state().output_on; }));
  }
  OutputMonitor second(parse_endpoint(sim->scpi()), {});
  REQUIRE(wait_for([&] { return second.state().phase == LinkPhase::ready; }));
  CHECK(second.state().on_at_connect);
  CHECK(second.state().output_on);
  sim.reset();
  REQUIRE(wait_for([&] { return second.state().phase == LinkPhase::lost; }));
  CHECK_FALSE(second.state().trouble.empty());
  OutputMonitor nobody(parse_endpoint("scpi+tcp://127.0.0.1:1"), {});
  REQUIRE(wait_for([&] { return nobody.state().phase == LinkPhase::lost; }));
}

TEST_CASE("voltage and logic lines are recorded beside the current, on its clock") {
  test::Bench sim({"--seed", "9", "--speed", "100"});
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  RecordSettings s;
  s.name = s.build = "x";
  s.inputs = {{parse_endpoint(sim.scpi()), {}}};
  InputSettings& setup = s.inputs[0].settings;
  OutputSettings& output = setup.outputs[""];
  s.log = parse_endpoint(sim.log());
  s.seconds = 240;  // the bench may be a minute and a half ahead when the line comes
  s.time_scale = 100;
  output.voltage = 3.6;
  output.power_on = output.power_off = true;
  setup.channels = {"I", "V"};
  setup.logic = {"radio_on", "locate_on"};
  s.sends = {{40, "uplink"}};
  RecordControl control;
  s.control = &control;
  RecordProgress last;
  bool asked = false;
  const RecordResult result = record(book, s, {}, [&](const RecordProgress& p) {
    if (!asked && p.recorded_s > 2) {
      asked = true;
      control.send("status");
    }
    last = p;
  });
  CHECK_FALSE(result.interrupted);
  const book::CaptureInfo info = book.capture(result.capture);
  REQUIRE(info.channels.size() == 4);
  const book::ChannelTrace current(book, info.channels[0]), voltage(book, info.channels[1]),
      radio(book, info.channels[2]), locate(book, info.channels[3]);
  CHECK(voltage.samples() == current.samples());
  CHECK(radio.to_s() == Approx(240));
  CHECK(last.channels.front().sum == Approx(measure(current).charge));
  CHECK(last.channels.front().observed_s == Approx(240));
  // The lead's 0.35 ohm drops what the current asks for.
  const auto i = values_of(current), v = values_of(voltage);
  int seen = 0;
  for (std::size_t k = 0; k < i.size(); ++k) {
    if (i[k] < 50e-3 || v[k] < 1) continue;
    CHECK(v[k] == Approx(3.6 - 0.35 * i[k]).margin(0.003));
    ++seen;
  }
  CHECK(seen > 1000);
  // The radio's line is on exactly while the current is that of the uplink.
  const double on_s = measure(radio).charge;
  double busy = 0;
  for (const double a : i) busy += a > 45e-3 ? 1e-3 : 0;
  CHECK(on_s == Approx(busy).margin(0.01));
  CHECK(on_s == Approx(1.5).margin(0.05));
  CHECK(measure(locate).charge > 2.9);
  bool status = false, uplink = false;
  for (const book::LogLine& l : book.log(result.capture)) {
    status |= l.sent && l.text == "status";
    uplink |= l.text == "ok uplink";
  }
  CHECK(status);
  CHECK(uplink);
  CHECK(book::verify(book).empty());
}

TEST_CASE("a running recording switches the output when it is asked to") {
  test::Bench sim({"--seed", "2", "--speed", "50"});
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  RecordSettings s;
  s.name = s.build = "x";
  s.inputs = {{parse_endpoint(sim.scpi()), {}}};
  InputSettings& setup = s.inputs[0].settings;
  OutputSettings& output = setup.outputs[""];
  s.seconds = 60;
  s.time_scale = 50;
  output.power_on = true;
  RecordControl control;
  s.control = &control;
  bool off = false;
  record(book, s, {}, [&](const RecordProgress& p) {
    if (!off && p.recorded_s > 20) {
      CHECK(p.output_on);
      control.execute(output_switched(false));
      off = true;
    }
  });
  const auto switches = book.output_switches(1);
  REQUIRE(switches.size() == 2);
  CHECK(switches[0].on);
  CHECK_FALSE(switches[1].on);
  CHECK(switches[1].earliest_s > 15);
}

TEST_CASE("what stands behind a refused setting is not powered by it") {
  test::Bench sim({"--seed", "4", "--speed", "20"});
  OutputMonitor monitor(parse_endpoint(sim.scpi()));
  REQUIRE(wait_for([&] { return monitor.state().phase == LinkPhase::ready; }));
  const auto before = monitor.state().set[0].voltage;
  monitor.set_voltage(60);
  monitor.execute(output_switched(true));
  REQUIRE(wait_for([&] { return monitor.state().refusals == 1; }));
  std::string told;
  for (const std::string& text : monitor.take_errors()) told += text + "\n";
  CHECK_THAT(told, Catch::Contains("a setting was refused"));
  CHECK_FALSE(monitor.state().output_on);
  CHECK(monitor.state().set[0].voltage == before);
  // Asked for again, knowing what it is set to, it is switched on.
  monitor.execute(output_switched(true));
  CHECK(wait_for([&] { return monitor.state().output_on; }));
}
