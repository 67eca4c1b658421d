// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/bench_setup.h"

#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <filesystem>
#include <fstream>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

const char* const kWhole = R"(kuvio = "bench/1"
name = "Satchel on two instruments"
rate = "2 kHz"
accuracy = "0.08 % + 40 nA"
length = "10 min"
start_on = "I steady within 5 % for 2 s"
pre_trigger = "1 s"
stop_on = "log: ^done"
stop_charge = "5 mC"
reset = "line reset low for 100 ms"

[conditions]
board = "satchel-07"

[[input]]
address = "scpi+tcp://127.0.0.1:5025"
channels = ["I", "V"]
logic = ["radio_on", "locate_on"]
range = { I = "10 mA" }
lines = { wake = "low", reset = "high" }
line_level = "1.8 V"
reconnect = "30 s"

[[input.output]]
voltage = "3.6 V"
current_limit = "500 mA"
on_over_current = "limit"
never_above = { voltage = "3.9 V", current = "550 mA" }
on_after = "200 ms"
on = true
off_on_failure = false

[[input.output]]
name = "aux"
off_at_end = true

[[input]]
address = "stream+serial:/dev/ttyACM0"
rate = "50 kHz"

[[channel]]
name = "V_shunt"
shunt = "100 mOhm"
accuracy = "0.5 % + 2 uA"

[[channel]]
name = "I"
gain = "1.002"
offset = "-12 uA"

[log]
address = "log+serial:/dev/ttyUSB0?baud=115200"
)";

void as_written(const BenchSetup& s) {
  const RecordSettings& r = s.record;
  CHECK(s.name == "Satchel on two instruments");
  CHECK(r.seconds == 600);
  CHECK(r.arm.kind == Trigger::Kind::steady);
  CHECK(r.arm.relative == Approx(0.05));
  CHECK(r.arm.for_s == 2);
  CHECK(r.before_s == 1);
  CHECK(r.until.pattern == "^done");
  CHECK(r.until_charge == Approx(5e-3));
  REQUIRE(r.reset);
  CHECK(r.reset->what == SwitchCommand::What::reset_by_line);
  CHECK(r.reset->name == "reset");
  CHECK_FALSE(r.reset->on);
  CHECK(r.reset->for_s == Approx(0.1));
  CHECK(r.conditions == Conditions{{"board", "satchel-07"}});
  REQUIRE(r.inputs.size() == 2);
  const InputSettings& a = r.inputs[0].settings;
  CHECK(r.inputs[0].endpoint.text == "scpi+tcp://127.0.0.1:5025");
  CHECK(a.rate_hz == 2000);
  CHECK(a.channels == std::vector<std::string>{"I", "V"});
  CHECK(a.logic == std::vector<std::string>{"radio_on", "locate_on"});
  CHECK(a.range == std::map<std::string, std::string>{{"I", "10 mA"}});
  CHECK(a.lines == std::map<std::string, bool>{{"wake", false}, {"reset", true}});
  CHECK(*a.line_level == Approx(1.8));
  CHECK(a.reconnect_s == 30);
  REQUIRE(a.outputs.size() == 2);
  CHECK(*a.outputs.at("").voltage == Approx(3.6));
  CHECK(*a.outputs.at("").current_limit == Approx(0.5));
  CHECK_FALSE(*a.outputs.at("").cut_off);
  CHECK(*a.outputs.at("").never_above.voltage == Approx(3.9));
  CHECK(a.outputs.at("").on_after_s == Approx(0.2));
  CHECK(a.outputs.at("aux").on_after_s == 0);
  CHECK(*a.outputs.at("").never_above.current == Approx(0.55));
  CHECK_FALSE(a.outputs.at("aux").never_above.any());
  CHECK(a.outputs.at("").power_on);
  CHECK_FALSE(a.outputs.at("").off_on_failure);
  CHECK(a.outputs.at("aux").power_off);
  CHECK(a.outputs.at("aux").off_on_failure);
  CHECK(r.inputs[1].settings.rate_hz == 50'000);
  CHECK(r.shunts.at("V_shunt") == Approx(0.1));
  CHECK(r.accuracies.at("V_shunt") == "0.5 % + 2 uA");
  CHECK(r.calibration.at("I").gain == Approx(1.002));
  CHECK(r.calibration.at("I").offset == Approx(-12e-6));
  CHECK(r.log->text == "log+serial:/dev/ttyUSB0?baud=115200");
}

}  // namespace

TEST_CASE("a bench set-up is read, written and read again") {
  const BenchSetup read = parse_bench_setup(kWhole, "a.bench.toml");
  as_written(read);
  const std::string text = write_bench_setup(read, "b.bench.toml");
  INFO(text);
  as_written(parse_bench_setup(text, "b.bench.toml"));
}

TEST_CASE("a set-up finds its profiles beside it, and names them from where it is kept") {
  const test::Folder folder;
  std::filesystem::create_directories(folder / "profiles");
  std::filesystem::create_directories(folder / "kept");
  std::filesystem::copy_file(std::string(KUVIO_SOURCE) + "/profiles/generic-supply.profile.toml",
                             folder / "profiles/mine.profile.toml");
  const std::string file = folder / "one.bench.toml";
  std::ofstream(file) << "kuvio = \"bench/1\"\nname = \"x\"\n[[input]]\naddress = "
                         "\"scpi+tcp://127.0.0.1:1\"\nprofile = \"profiles/mine.profile.toml\"\n";
  BenchSetup s = read_bench_setup(file);
  REQUIRE(s.record.inputs[0].settings.profiles.size() == 1);
  const std::string kept = folder / "kept/two.bench.toml";
  std::ofstream(kept) << write_bench_setup(s, kept);
  s = read_bench_setup(kept);
  CHECK(s.record.inputs[0].settings.profiles.size() == 1);
  CHECK_THAT(write_bench_setup(s, kept), Catch::Contains("../profiles/mine.profile.toml"));
}

TEST_CASE("set-ups that are wrong are told with their line") {
  const std::string head = "kuvio = \"bench/1\"\nname = \"x\"\n";
  const std::string input = "[[input]]\naddress = \"scpi+tcp://127.0.0.1:1\"\n";
  for (const auto& [text, line, what] :
       {std::tuple{std::string("name = \"x\"\n"), 1, "kuvio"}, std::tuple{head, 1, "[[input]]"},
        std::tuple{head + "[[input]]\naddress = \"sci+tcp://x\"\n", 4, "sci+tcp"},
        std::tuple{head + "[[input]]\naddress = \"log+serial:/dev/x\"\n", 4, "[log]"},
        std::tuple{head + input + "colour = \"red\"\n", 5, "colour"},
        std::tuple{head + input + "rate = 1000\n", 5, "rate"},
        std::tuple{head + input + "lines = { reset = \"up\" }\n", 5, "high or low"},
        std::tuple{head + input + "profile = \"none.toml\"\n", 0, "none.toml"},
        std::tuple{head + "start_on = \"I over 3 A\"\n" + input, 3, "not a trigger"},
        std::tuple{head + "pre_trigger = \"2 s\"\n" + input, 3, "start_on"},
        std::tuple{head + "reset = \"button for 2 s\"\n" + input, 3, "line RST low"},
        std::tuple{head + "accuracy = \"good\"\n" + input, 3, "unit of current"},
        std::tuple{head + input + "[[input.output]]\nvoltage = \"3 V\"\n[[input.output]]\n", 7,
                   "two outputs"},
        std::tuple{
            head + input +
                "[[input.output]]\nvoltage = \"5 V\"\nnever_above = { voltage = \"3.9 V\" }\n",
            6, "above its ceiling of 3.900"},
        std::tuple{head + input + "[[input.output]]\nnever_above = { volts = \"3.9 V\" }\n", 6,
                   "volts"},
        std::tuple{head + input + "[[channel]]\nname = \"I\"\nshunt = \"0 Ohm\"\n", 7,
                   "greater than zero"},
        std::tuple{head + input + "[[channel]]\nname = \"I\"\ngain = \"much\"\n", 7, "1.002"},
        std::tuple{head + input + "[log]\naddress = \"lines:/x\"\n", 6, "log+serial"}}) {
    INFO(text);
    try {
      parse_bench_setup(text, "s.bench.toml");
      FAIL("it was taken");
    } catch (const Error& e) {
      INFO(e.what());
      if (line > 0) CHECK(e.where() == "s.bench.toml:" + std::to_string(line));
      CHECK_THAT(e.what(), Catch::Contains(what));
    }
  }
}

TEST_CASE("triggers and resets are written as they are read") {
  for (const char* text : {"I above 0.005 A", "V below 3 V for 2 s", "above 1 A",
                           "I steady within 5 % for 2 s", "I steady within 2e-06 A for 3 s",
                           "radio_on rising", "radio_on falling", "log: ^boot .*"}) {
    CHECK(to_string(parse_trigger(text)) == text);
  }
  for (const char* wrong : {"I steady within 5 %", "I steady within 0 % for 2 s",
                            "I steady within 5 kHz for 2 s", "steady"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_trigger(wrong), std::invalid_argument);
  }
  const SwitchCommand aux = parse_reset("output aux off for 1 s");
  CHECK(aux.what == SwitchCommand::What::reset_by_output);
  CHECK(aux.name == "aux");
  CHECK(parse_reset("output off for 1 s").name.empty());
  CHECK(parse_reset(to_string(aux)).for_s == 1);
  for (const char* wrong : {"line low for 1 s", "output on for 1 s", "line a low",
                            "output off for 2 min", "line a low for 0 s", ""}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_reset(wrong), std::invalid_argument);
  }
}
