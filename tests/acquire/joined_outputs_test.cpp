// SPDX-License-Identifier: GPL-3.0-or-later
// Outputs that an instrument has joined to one: asked for, never done.

#include "acquire/output_monitor.h"
#include "acquire/profile.h"
#include "acquire/scpi_input.h"
#include "acquire/scripted_link.h"
#include "cli/process.h"

#include <catch2/catch.hpp>

#include <atomic>
#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

constexpr const char* kProfile = R"(kuvio = "profile/1"
name = "Pair"
match = "PAIR"
[[output]]
name = "1"
on = "ONE ON"
off = "ONE OFF"
state = "ONE?"
voltage = { set = "ONE:VOLT {}", query = "ONE:VOLT?", max = "15 V" }
current_limit = { set = "ONE:CURR {}", query = "ONE:CURR?", max = "2 A" }
[[output]]
name = "2"
on = "TWO ON"
off = "TWO OFF"
state = "TWO?"
voltage = { set = "TWO:VOLT {}", query = "TWO:VOLT?", max = "10 V" }
current_limit = { set = "TWO:CURR {}", query = "TWO:CURR?", max = "1 A" }
[joined]
outputs = ["1", "2"]
query = "JOINED?"
series = "S"
parallel = "P"
without = ["I2"]
[[channel]]
name = "I1"
query = "I1?"
[[channel]]
name = "I2"
query = "I2?"
)";

Profile pair_profile() { return parse_profile(kProfile, "pair.profile.toml"); }

struct Pair {
  test::ScriptedInstrument scripted;
  std::mutex mutex;
  std::string how = "S";

  Pair() {
    scripted.answers("*IDN?", "ACME,PAIR,1");
    scripted.answers("ONE?", "0");
    scripted.answers("TWO?", "0");
    scripted.answers("ONE:VOLT?", "24");
    scripted.answers("ONE:CURR?", "0.5");
    scripted.answers("TWO:VOLT?", "3");
    scripted.answers("TWO:CURR?", "0.1");
    scripted.answers("I1?", "0.007");
    scripted.answers("I2?", "0.001");
    scripted.answers("JOINED?", [this](const std::string&) {
      const std::lock_guard lock(mutex);
      return how;
    });
  }
  void join(const std::string& answer) {
    const std::lock_guard lock(mutex);
    how = answer;
  }
  static Endpoint endpoint() { return parse_endpoint("scpi+tcp://scripted:1"); }
  std::unique_ptr<ScpiInput> open(InputSettings settings = {}) {
    settings.profiles = {pair_profile()};
    settings.rate_hz = 50;
    return std::make_unique<ScpiInput>(endpoint(), settings, scripted.opener());
  }
};

template <typename Test>
bool comes_true(Test test) {
  for (int i = 0; i < 500; ++i) {
    if (test()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  return false;
}

std::vector<std::string> names(const OutputMonitorState& s) {
  std::vector<std::string> out;
  for (const auto& [name, on] : s.outputs) out.push_back(name);
  return out;
}

}  // namespace

TEST_CASE("joined outputs are one, that may be set as far as all of them together") {
  const Profile apart = pair_profile();
  const Profile series = joined(apart, Joining::series);
  REQUIRE(series.outputs.size() == 1);
  CHECK(series.outputs[0].name == "1+2");
  CHECK(series.outputs[0].on == "ONE ON");
  CHECK(series.outputs[0].voltage.max == 25.0);  // 15 V + 10 V
  CHECK(series.outputs[0].current_limit.max == 2.0);
  REQUIRE(series.channels.size() == 1);
  CHECK(series.channels[0].name == "I1");
  const Profile parallel = joined(apart, Joining::parallel);
  CHECK(parallel.outputs[0].voltage.max == 15.0);
  CHECK(parallel.outputs[0].current_limit.max == 3.0);  // 2 A + 1 A
  CHECK(joined(apart, Joining::apart).outputs.size() == 2);
}

TEST_CASE("a profile that joins what it does not have is refused, with its line") {
  const auto with = [](const std::string& from, const std::string& to) {
    std::string text = kProfile;
    text.replace(text.find(from), from.size(), to);
    return text;
  };
  const auto refused = [](const std::string& text, const char* why) {
    CHECK_THROWS_WITH(parse_profile(text, "p.toml"), Catch::Contains(why));
  };
  refused(with(R"(outputs = ["1", "2"])", R"(outputs = ["1", "3"])"), "no output \"3\"");
  refused(with(R"(outputs = ["1", "2"])", R"(outputs = ["1"])"), "two or more");
  refused(with(R"(without = ["I2"])", R"(without = ["U"])"), "no channel \"U\"");
  refused(with("series = \"S\"\nparallel = \"P\"\n", ""), "needed");
}

TEST_CASE("outputs that were joined are recorded and set as one, and the capture says so") {
  Pair pair;
  const auto input = pair.open();
  REQUIRE(input->channels().size() == 1);
  CHECK(input->channels()[0].name == "I1");
  CHECK(input->conditions().at("outputs") == "1+2 in series");
  CHECK(input->conditions().at("output_1+2_voltage") == "24 V");

  InputSettings asks;  // of the joined one more than of the first alone
  asks.outputs["1+2"].voltage = 20;
  pair.open(asks);
  CHECK(pair.scripted.said("ONE:VOLT 20") == 1);
  asks.outputs["1+2"].voltage = 26;
  CHECK_THROWS_WITH(pair.open(asks), Catch::Contains("26"));
  asks.outputs.clear();
  asks.outputs["2"].voltage = 3;  // it is not there by itself
  CHECK_THROWS_WITH(pair.open(asks), Catch::Contains("joined in series"));
  CHECK(pair.scripted.said("TWO:VOLT 3") == 0);
}

TEST_CASE("outputs that are parted at the instrument while they are watched are two again") {
  Pair pair;
  OutputMonitor monitor(Pair::endpoint(), {}, {pair_profile()}, pair.scripted.opener());
  REQUIRE(comes_true([&] { return names(monitor.state()) == std::vector<std::string>{"1+2"}; }));
  CHECK(monitor.state().joined == "1+2");
  CHECK(monitor.state().joined_how == "in series");
  REQUIRE(monitor.state().set.size() == 1);
  CHECK(monitor.state().set[0].voltage == 24);
  CHECK(monitor.state().currents == std::vector<std::string>{"I1"});
  pair.join("N");
  REQUIRE(comes_true([&] { return names(monitor.state()) == std::vector<std::string>{"1", "2"}; }));
  CHECK(monitor.state().joined.empty());
  CHECK(monitor.state().currents == std::vector<std::string>{"I1", "I2"});
  CHECK(monitor.state().set.size() == 2);
  pair.join("P");
  REQUIRE(comes_true([&] { return monitor.state().joined_how == "in parallel"; }));
  for (const std::string& line : pair.scripted.said()) CHECK_THAT(line, !Catch::Contains(" ON"));
}

TEST_CASE("outputs that are joined while they are recorded are reported, and the capture goes on") {
  Pair pair;
  pair.join("N");
  const auto input = pair.open();
  REQUIRE(input->channels().size() == 2);
  input->start();
  pair.join("P");
  std::string said;
  const bool reported = comes_true([&] {
    for (const std::string& note : input->take_notes()) said += note;
    return said.find("joined in parallel while it was recorded") != std::string::npos;
  });
  INFO(said);
  CHECK(reported);
  std::size_t packets = 0;
  CHECK(comes_true([&] {
    while (input->ring().pop()) ++packets;
    return packets > 3;
  }));
  input->stop();
}

TEST_CASE("the simulated analyser with its outputs in series gives up to 30 V from one") {
  test::Bench sim({"--joined", "series", "--speed", "20"});
  OutputMonitor monitor(parse_endpoint(sim.scpi()));
  REQUIRE(comes_true([&] { return monitor.state().phase == LinkPhase::ready; }));
  CHECK(monitor.state().joined_how == "in series");
  monitor.set_voltage(24);
  REQUIRE(comes_true([&] {
    const auto s = monitor.state();
    return s.set.size() == 1 && s.set[0].voltage == 24;
  }));
  monitor.set_voltage(31);
  REQUIRE(comes_true([&] { return monitor.state().refusals == 1; }));
  CHECK(monitor.state().set[0].voltage == 24);
}

TEST_CASE("a monitor is ready once its outputs are known: nobody takes it for one without") {
  Pair pair;
  pair.scripted.answers("I1?", [](const std::string&) {
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
    return std::string("0.007");
  });
  OutputMonitor monitor(Pair::endpoint(), {}, {pair_profile()}, pair.scripted.opener());
  std::size_t asked = 0;
  REQUIRE(comes_true([&] {
    ++asked;
    const OutputMonitorState s = monitor.state();
    if (s.phase != LinkPhase::ready) return false;
    CHECK(s.outputs.size() == 1);
    return true;
  }));
  CHECK(asked > 5);
}
