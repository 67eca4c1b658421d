// SPDX-License-Identifier: GPL-3.0-or-later
// What is switched, at an instrument that is only watched.

#include "acquire/switch_command.h"

#include "acquire/output_monitor.h"
#include "cli/process.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

template <typename Done>
bool wait_for(Done done, int ms = 40000) {
  for (int i = 0; i < ms / 20 && !done(); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
  return done();
}

bool is_on(const OutputMonitor& monitor, const std::string& name) {
  for (const auto& [output, on] : monitor.state().outputs) {
    if (output == name) return on;
  }
  return false;
}

struct Said {
  std::vector<std::string> lines;
  bool has(OutputMonitor& monitor, const std::string& text) {
    for (const DeviceLine& l : monitor.take_lines()) lines.push_back(l.text);
    return std::any_of(lines.begin(), lines.end(),
                       [&](const std::string& l) { return l.find(text) != std::string::npos; });
  }
};

}  // namespace

TEST_CASE("lines are driven and the device is reset while nothing is recorded") {
  test::Bench bench({"--power-on"});
  OutputMonitor monitor(parse_endpoint(bench.scpi()), parse_endpoint(bench.log()));
  REQUIRE(wait_for([&] { return monitor.state().lines.size() == 2; }));
  CHECK(monitor.state().lines[0] == std::pair<std::string, bool>{"reset", true});
  Said said;
  monitor.execute({SwitchCommand::What::line, "wake", true, 0});
  REQUIRE(wait_for([&] { return monitor.state().lines[1].second; }));
  monitor.execute(parse_reset("line reset low for 200 ms"));
  REQUIRE(wait_for([&] { return said.has(monitor, "(reset pin)"); }));
  CHECK(monitor.state().lines[0].second);  // let go
  const auto boots = [&] {
    said.has(monitor, "");
    return std::count_if(said.lines.begin(), said.lines.end(),
                         [](const std::string& l) { return l == "boot satchel 2.3.0"; });
  };
  const auto before = boots();
  monitor.execute(parse_reset("output off for 300 ms"));
  REQUIRE(wait_for([&] { return boots() == before + 1; }));
  REQUIRE(wait_for([&] { return is_on(monitor, ""); }));
  // Of a line that is not there nothing comes.
  monitor.execute({SwitchCommand::What::line, "nmi", true, 0});
  std::this_thread::sleep_for(std::chrono::milliseconds(300));
  CHECK(monitor.state().phase == LinkPhase::ready);
}

TEST_CASE("off means every output, on the first, and an auxiliary one only by its name") {
  test::Bench bench({});
  OutputMonitor monitor(parse_endpoint(bench.scpi()));
  REQUIRE(wait_for([&] { return monitor.state().outputs.size() == 2; }));
  CHECK(monitor.state().set.back().auxiliary);
  monitor.execute(output_switched(true));
  REQUIRE(wait_for([&] { return is_on(monitor, ""); }));
  CHECK_FALSE(is_on(monitor, "aux"));
  monitor.execute(parse_reset("output aux off for 50 ms"));  // it is off: nothing is switched
  std::vector<std::string> messages;
  REQUIRE(wait_for([&] {
    for (const std::string& t : monitor.take_errors()) messages.push_back(t);
    return !messages.empty();
  }));
  CHECK_THAT(messages[0], Catch::Contains("was not reset"));
  CHECK_FALSE(is_on(monitor, "aux"));
  monitor.execute(output_switched(true, "aux"));
  REQUIRE(wait_for([&] { return is_on(monitor, "aux"); }));
  monitor.execute(output_switched(false));
  REQUIRE(wait_for([&] { return !is_on(monitor, "") && !is_on(monitor, "aux"); }));
}

TEST_CASE("each output of a unit is set by itself") {
  test::Bench bench({"--device", "perch"});
  OutputMonitor monitor(parse_endpoint(bench.scpi()));
  REQUIRE(wait_for([&] { return monitor.state().set.size() == 2; }));
  monitor.set_voltage(4.1, "2");
  monitor.set_current_limit(0.7, "2");
  monitor.set_cut_off(false, "2");
  REQUIRE(wait_for([&] {
    const auto set = monitor.state().set;
    return set[1].voltage == Approx(4.1) && set[1].current_limit == Approx(0.7) && !set[1].cut_off;
  }));
  CHECK(monitor.state().set[0].voltage != Approx(4.1));
  CHECK(monitor.state().set[0].cut_off);
}
