// SPDX-License-Identifier: GPL-3.0-or-later
// Recording, watching and checking an instrument in memory: what takes minutes and bad luck with a
// real one.

#include "acquire/scpi_input.h"

#include "acquire/output_monitor.h"
#include "acquire/profile_check.h"
#include "acquire/scripted_link.h"
#include "acquire/scripted_profile.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <atomic>
#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;
using test::ScriptedInstrument;

namespace {

/// A logging instrument whose window of samples a test sets; sample i is i mA.
struct Logger {
  ScriptedInstrument scripted;
  std::atomic<std::int64_t> oldest{0}, end{0};
  std::atomic<int> status{0};

  Logger() {
    scripted.answers("*IDN?", "ACME,SCRIPTED,1");
    scripted.answers("A?", "1");
    scripted.answers("AUX?", "0");
    scripted.answers("RES?", "1");
    scripted.answers("STEP?", "0.001");
    scripted.answers("A:VOLT?", "3300");
    scripted.answers("A:CURR?", "0.5");
    scripted.answers("A:PROT?", "1");
    scripted.answers("MEAS?", "7");
    scripted.answers("A:STAT?", [this](const std::string&) { return std::to_string(status); });
    scripted.answers("READY?", [this](const std::string&) {
      return fmt::format("{},{}", oldest.load(), end.load());
    });
    scripted.answers("GIVE?", [](const std::string& asked) {
      const auto comma = asked.find(',');
      const std::int64_t first = std::stoll(asked.substr(6)),
                         n = std::stoll(asked.substr(comma + 1));
      std::string out;
      for (std::int64_t i = 0; i < n; ++i) out += fmt::format("{},", first + i);
      return out;
    });
  }

  std::unique_ptr<ScpiInput> open(InputSettings settings = {}) {
    settings.profiles = {test::scripted_profile()};
    return std::make_unique<ScpiInput>(endpoint(), settings, scripted.opener());
  }
  static Endpoint endpoint() { return parse_endpoint("scpi+tcp://scripted:1"); }
};

/// The next packet, or none within five seconds.
std::unique_ptr<Packet> next(Input& input) {
  for (int i = 0; i < 500; ++i) {
    if (auto packet = input.ring().pop()) return packet;
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  return nullptr;
}

template <typename Test>
bool comes_true(Test test) {
  for (int i = 0; i < 500; ++i) {
    if (test()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  return false;
}

bool contains(const std::vector<std::string>& texts, const std::string& part) {
  for (const std::string& t : texts) {
    if (t.find(part) != std::string::npos) return true;
  }
  return false;
}

}  // namespace

TEST_CASE("an input takes every logged sample once, in pieces that its profile allows") {
  Logger l;
  auto input = l.open();
  CHECK(input->interval_s() == Approx(1e-3));
  CHECK(input->on_at_connect() == std::vector<std::string>{"A"});
  CHECK(input->current_limit() == Approx(0.5));
  CHECK(input->conditions().at("output_A_voltage") == "3.3 V");
  l.end = 250;
  input->start();
  std::int64_t at = 0;
  for (const std::size_t size : {100U, 100U, 50U}) {
    const auto packet = next(*input);
    REQUIRE(packet);
    CHECK(packet->index == at);
    CHECK(packet->samples() == size);
    CHECK(packet->why_lost.empty());
    CHECK(packet->columns[0].back() == Approx(1e-3 * static_cast<double>(at + 99 - 100 + size)));
    at += static_cast<std::int64_t>(size);
  }
  input->stop();
  CHECK_FALSE(input->failure());
  CHECK(l.scripted.said("INIT") == 1);
  CHECK(l.scripted.said("ABOR") == 1);
  CHECK(l.scripted.said("A OFF") == 0);  // nobody asked for it
}

TEST_CASE("what an instrument's memory could not hold is named, not joined over") {
  Logger l;
  auto input = l.open();
  l.end = 10;
  input->start();
  REQUIRE(next(*input)->samples() == 10);
  l.end = 600;
  l.oldest = 560;
  const auto packet = next(*input);
  REQUIRE(packet);
  CHECK(packet->index == 560);
  CHECK(packet->why_lost == "the input's memory overran");
}

TEST_CASE("a count that begins again goes on where the computer's clock says") {
  Logger l;
  auto input = l.open();
  l.end = 100;
  input->start();
  REQUIRE(next(*input)->samples() == 100);
  l.end = 3;  // it was switched off and on
  const auto packet = next(*input);
  REQUIRE(packet);
  CHECK(packet->index > 100);
  CHECK(packet->why_lost == "its count began again");
  CHECK(packet->columns[0][0] == 0.0);  // its own first sample
  CHECK(contains(input->take_notes(), "began again"));
}

TEST_CASE("a lost link is taken up again; another instrument in its place ends the input") {
  Logger l;
  InputSettings settings;
  settings.reconnect_s = 5;
  auto input = l.open(settings);
  l.end = 20;
  input->start();
  REQUIRE(next(*input)->samples() == 20);
  l.scripted.hang_up();
  REQUIRE(comes_true([&] { return l.scripted.links() == 2 && !input->away(); }));
  l.end = 30;
  const auto packet = next(*input);
  REQUIRE(packet);
  CHECK(packet->index == 20);  // it went on logging meanwhile: nothing is missing
  CHECK(packet->samples() == 10);
  const auto events = input->take_events();
  REQUIRE_FALSE(events.empty());
  CHECK(events.front().kind == EventKind::link_lost);

  l.scripted.answers("*IDN?", "ACME,SCRIPTED,2");
  l.scripted.hang_up();
  REQUIRE(comes_true([&] { return input->ended(); }));
  CHECK_THAT(*input->failure(), Catch::Contains("another instrument answers"));
}

TEST_CASE("an output that protection switches off is an event, once") {
  Logger l;
  auto input = l.open();
  input->start();
  l.status = 8;
  std::vector<InputEvent> events;
  REQUIRE(comes_true([&] {
    for (auto& e : input->take_events()) events.push_back(e);
    return !events.empty();
  }));
  std::this_thread::sleep_for(std::chrono::milliseconds(250));  // two more looks at it
  for (auto& e : input->take_events()) events.push_back(e);
  REQUIRE(events.size() == 1);
  CHECK(events[0].kind == EventKind::output_tripped);
  CHECK(events[0].subject == "output A");
  CHECK_FALSE(input->output_on());
}

TEST_CASE("off for all sends it to each and reports those that were on; a reset spares the off") {
  Logger l;
  InputSettings settings;
  auto input = l.open(settings);
  input->start();
  input->request(output_switched(false));
  l.scripted.answers("A?", "0");
  REQUIRE(comes_true([&] { return l.scripted.said("AUX OFF") == 1; }));
  CHECK(l.scripted.said("A OFF") == 1);
  CHECK(l.scripted.said("B OFF") == 1);
  REQUIRE(comes_true([&] { return !input->output_on(); }));
  input->request(parse_reset("output off for 10 ms"));
  std::vector<std::string> notes;
  REQUIRE(comes_true([&] {
    for (auto& n : input->take_notes()) notes.push_back(n);
    return contains(notes, "is off, so the device was not reset");
  }));
  input->stop();
  CHECK(l.scripted.said("A ON") == 0);
  int off = 0;
  for (const InputEvent& e : input->take_events())
    off += e.kind == EventKind::output_off || e.kind == EventKind::auxiliary_off ? 1 : 0;
  CHECK(off == 1);
}

TEST_CASE("settings that are refused end the set-up, with the words of whoever refused") {
  Logger l;
  InputSettings settings;
  settings.outputs["A"].voltage = 20;
  CHECK_THROWS_WITH(l.open(settings),
                    Catch::Contains("cannot set the voltage") && Catch::Contains("(0 to 15)"));
  settings.outputs["A"].voltage = 3;
  l.scripted.refuses("A:VOLT", "-221,\"Settings conflict\"");
  CHECK_THROWS_WITH(l.open(settings),
                    Catch::Contains("input refused to set the voltage") && Catch::Contains("-221"));
  settings = {};
  settings.channels = {"V"};
  CHECK_THROWS_WITH(l.open(settings), Catch::Contains("it has I"));
  settings = {};
  settings.lines["wake"] = true;
  CHECK_THROWS_WITH(l.open(settings), Catch::Contains("it has reset"));
}

TEST_CASE("a monitor never switches on what stands behind a refused setting") {
  Logger l;
  l.scripted.answers("A?", "0");
  l.scripted.refuses("A:CURR", "-222,\"Data out of range\"");
  OutputMonitor monitor(Logger::endpoint(), {}, {test::scripted_profile()}, l.scripted.opener());
  REQUIRE(comes_true([&] { return monitor.state().phase == LinkPhase::ready; }));
  monitor.set_current_limit(0.4);
  monitor.execute(output_switched(true));
  REQUIRE(comes_true([&] { return monitor.state().refusals == 1; }));
  CHECK(l.scripted.said("A ON") == 0);
  CHECK(monitor.state().set.front().current_limit == Approx(0.5));  // what holds
  const auto errors = monitor.take_errors();
  CHECK(contains(errors, "a setting was refused: -222"));
  CHECK(contains(errors, "was not switched on"));
  monitor.set_voltage(2, "Z");  // meant for no output that there is: for none at all
  REQUIRE(comes_true([&] { return monitor.state().refusals == 2; }));
  CHECK(l.scripted.said("A:VOLT 2000") == 0);
  monitor.execute(output_switched(true));
  REQUIRE(comes_true([&] { return l.scripted.said("A ON") == 1; }));
  CHECK(monitor.state().readings.back().current == Approx(7e-3));
}

TEST_CASE("a profile is checked command by command, and switches nothing") {
  Logger l;
  l.end = 500;
  const auto steps =
      try_profile(Logger::endpoint(), test::scripted_profile(), {}, l.scripted.opener());
  for (const CheckStep& s : steps) {
    INFO(s.key << " " << s.command << " " << s.trouble);
    CHECK(s.trouble.empty());
  }
  CHECK(l.scripted.said("A:VOLT 3300") == 1);  // set to what it is
  for (const char* never : {"A ON", "A OFF", "B ON", "B OFF", "AUX ON", "AUX OFF", "RES LOW"})
    CHECK(l.scripted.said(never) == 0);
  l.scripted.answers("READY?", "many");
  l.scripted.refuses("A:PROT", "-113,\"Undefined header\"");
  std::string wrong;
  for (const CheckStep& s :
       try_profile(Logger::endpoint(), test::scripted_profile(), {}, l.scripted.opener())) {
    if (!s.trouble.empty()) wrong += s.key + ": " + s.trouble + "\n";
  }
  CHECK_THAT(wrong, Catch::Contains("on_over_current") && Catch::Contains("-113"));
  CHECK_THAT(wrong, Catch::Contains("log.ready: \"many\" is not numeric"));
}

namespace {

/// A recording that switches B on at once and A a second of samples later.
struct TakingTurns {
  Logger l;
  std::unique_ptr<ScpiInput> input;

  explicit TakingTurns(double ceiling = 0) {
    l.scripted.answers("A?", "0");
    InputSettings settings;
    settings.reconnect_s = 5;
    settings.outputs["B"].power_on = true;
    settings.outputs["A"].power_on = true;
    settings.outputs["A"].on_after_s = 1;
    if (ceiling > 0) settings.outputs["A"].never_above.voltage = ceiling;
    input = l.open(settings);
    input->start();
    REQUIRE(comes_true([&] { return l.scripted.said("B ON") == 1; }));
    l.end = 900;
    std::this_thread::sleep_for(std::chrono::milliseconds(300));
    CHECK(l.scripted.said("A ON") == 0);  // its turn is to come
  }
  /// Its turn comes; whether it went on, and what was said about it.
  bool goes_on() {
    l.end = 1500;
    const bool on = comes_true([&] { return l.scripted.said("A ON") == 1 || !notes().empty(); }) &&
                    l.scripted.said("A ON") == 1;
    input->stop();
    return on;
  }
  std::string notes() {
    for (const std::string& n : input->take_notes())
      if (n.find("was not switched on") != std::string::npos) said += n;
    return said;
  }
  std::string said;
};

}  // namespace

TEST_CASE("an output goes on in its turn, by the instrument's own time") {
  TakingTurns t;
  CHECK(t.goes_on());
  CHECK(t.notes().empty());
}

TEST_CASE("an output that waits for its turn stays off after a trip, and that is told") {
  TakingTurns t;
  t.l.status = 8;                                                // A's own: tripped
  std::this_thread::sleep_for(std::chrono::milliseconds(1500));  // it is looked at now and then
  CHECK_FALSE(t.goes_on());
  CHECK_THAT(t.notes(), Catch::Contains("went off"));
}

TEST_CASE("an output that waits for its turn stays off after a lost link, and that is told") {
  TakingTurns t;
  t.l.scripted.hang_up();
  REQUIRE(comes_true([&] { return t.l.scripted.links() >= 2; }));
  CHECK_FALSE(t.goes_on());
  CHECK_THAT(t.notes(), Catch::Contains("link was lost"));
}

TEST_CASE("the ceiling of an output that waits is asked for again when its turn comes") {
  TakingTurns t(3.5);
  t.l.scripted.answers("A:VOLT?", "5000");  // somebody turned its knob
  CHECK_FALSE(t.goes_on());
  CHECK_THAT(t.notes(), Catch::Contains("5.00") || Catch::Contains("3.5"));
}
