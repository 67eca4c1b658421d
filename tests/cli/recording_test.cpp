// SPDX-License-Identifier: GPL-3.0-or-later
// What a recording is set up with, begins and ends by, and calls by its name, through kuvio-cli
// capture.

#include "cli/captured.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <fstream>
#include <thread>

using namespace kuvio;
using test::Bench;
using test::Captured;
using test::cli;
using test::uri;

TEST_CASE("an output that cuts off, and a device that resets in a loop, are called by their name") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20"});
  SECTION("cuts off") {
    const auto ran =
        cli({"capture", path, "--input", bench.scpi(), "--input", bench.log(), "--seconds", "40",
             "--power-on", "--current-limit", "10 mA", "--on-over-current", "switch-off"});
    CHECK(ran.status == 0);
    CHECK_THAT(ran.err, Catch::Contains("over-current") && Catch::Contains("switched itself off"));
    const Captured c(path);
    CHECK(c.events(EventKind::output_tripped).size() == 1);
    CHECK(c.events(EventKind::device_reset_loop).empty());
    CHECK(*c.figures("I", 20, 40).max < 1e-6);
    CHECK(c.info.conditions.at("on_over_current") == "switch off");
    CHECK(c.info.conditions.at("current_limit") == "0.01 A");
    CHECK(c.book.output_switches(1).size() == 2);  // on, and off by itself
  }
  SECTION("browns out and resets in a loop") {
    const auto ran =
        cli({"capture", path, "--input", bench.scpi(), "--input", bench.log(), "--seconds", "20",
             "--power-on", "--current-limit", "15 mA", "--on-over-current", "limit"});
    CHECK(ran.status == 0);
    CHECK_THAT(ran.err, Catch::Contains("reset loop") && Catch::Contains("current limit"));
    const Captured c(path);
    REQUIRE_FALSE(c.events(EventKind::device_reset_loop).empty());
    CHECK_THAT(c.events(EventKind::device_reset_loop)[0].text, Catch::Contains("186"));
    // Each round once: 20 s in rounds of 186 ms, less the time before the output came on.
    CHECK(c.events(EventKind::current_limited).size() > 50);
    CHECK(c.events(EventKind::current_limited).size() <= 108);
    CHECK(*c.figures("I").max == Approx(15e-3).epsilon(0.05));
  }
  SECTION("neither, with room to breathe") {
    const auto ran = cli({"capture", path, "--input", bench.scpi(), "--seconds", "40", "--power-on",
                          "--current-limit", "300 mA", "--on-over-current", "limit"});
    CHECK(ran.status == 0);
    const Captured c(path);
    CHECK(c.events(EventKind::current_limited).empty());
    CHECK(c.events(EventKind::output_tripped).empty());
  }
}

TEST_CASE(
    "a link that is lost for a while is taken up again, and what was logged meanwhile is there") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--fault", "hang-up@2:1", "--power-on"});
  const auto ran =
      cli({"capture", path, "--input", bench.scpi(), "--seconds", "5", "--reconnect", "20"});
  INFO(ran.err);
  CHECK(ran.status == 0);
  CHECK_THAT(ran.err, Catch::Contains("unreachable"));
  const Captured c(path);
  CHECK(c.channel("I").samples == 5000);  // the instrument kept them
  CHECK(c.channel("I").gaps == 0);
  REQUIRE(c.events(EventKind::link_lost).size() == 1);
  const double known_s = c.events(EventKind::link_lost)[0].earliest_s;  // the last that was fetched
  CHECK(known_s > 1.2);
  CHECK(known_s < 2.3);
}

TEST_CASE("a capture can be armed: a level, an edge or a line begin it, with what was before") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20", "--power-on"});
  const std::vector<std::string> call{
      "capture",       path,  "--input", bench.scpi(), "--input", bench.log(), "--seconds", "10",
      "--pre-trigger", "2 s", "--logic", "radio_on",   "--logic", "locate_on"};
  const auto with = [&](const std::string& arm) {
    auto all = call;
    all.insert(all.end(), {"--start-on", arm});
    return all;
  };
  SECTION("a level") {
    const auto ran = cli(with("I above 2 mA"));  // a wake
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    CHECK(c.channel("I").samples == 10'000);
    REQUIRE(c.events(EventKind::armed_start).size() == 1);
    // A machine that was slow to begin may have less than the two seconds before the wake.
    const double at = c.events(EventKind::armed_start)[0].earliest_s;
    CHECK(at < 2.002);
    CHECK(*c.figures("I", std::max(0.0, at - 0.5), at - 0.01).max < 2e-3);
    CHECK(c.rise("I", 2e-3, std::max(0.0, at - 0.5)) == Approx(at).margin(0.002));
  }
  SECTION("an edge of a logic line") {
    std::jthread asks([&] {
      std::this_thread::sleep_for(std::chrono::milliseconds(700));
      const std::string line = "uplink\n", log = bench.log();
      const auto at = log.find(':') + 1;
      const int fd = ::open(log.substr(at, log.find('?') - at).c_str(), O_WRONLY | O_NOCTTY);
      if (fd < 0 || ::write(fd, line.data(), line.size()) < 0) std::abort();
      ::close(fd);
    });
    const auto ran = cli(with("locate_on rising"));
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    CHECK(c.rise("locate_on", 0.5) == Approx(2).margin(0.003));
    CHECK(c.rise("I", 20e-3) == Approx(2).margin(0.003));
  }
  SECTION("told to stop before anything happened") {
    test::Process armed("kuvio-cli", with("I above 5 A"));
    std::this_thread::sleep_for(std::chrono::milliseconds(800));
    armed.signal(SIGINT);
    CHECK(armed.wait() == 0);
    CHECK(book::Book::open(path, book::Book::Mode::read).captures().empty());
  }
  SECTION("what cannot be waited for is told") {
    CHECK(cli(with("I over 5 A")).status == 64);
    CHECK(cli(with("X above 5 A")).status == 64);
    CHECK(cli(with("I rising")).status == 64);
    CHECK(cli(with("log: (")).status == 64);
  }
}

TEST_CASE("a capture ends by charge, level or line") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20"});
  const auto run = [&](std::vector<std::string> more) {
    std::vector<std::string> call{"capture",   path,        "--input", bench.scpi(), "--input",
                                  bench.log(), "--seconds", "100",     "--power-on", "--power-off"};
    call.insert(call.end(), more.begin(), more.end());
    const auto ran = cli(call);
    INFO(ran.err);
    CHECK(ran.status == 0);
    return Captured(path, static_cast<std::int64_t>(
                              book::Book::open(path, book::Book::Mode::read).captures().size()));
  };
  const Captured charge = run({"--stop-charge", "10 mC"});
  CHECK(charge.figures("I").charge == Approx(10e-3).epsilon(0.2));
  // From the moment of power on: when that comes is up to this machine.
  CHECK(charge.info.to_s() - charge.rise("I", 9e-3) < 1.6);
  CHECK_THAT(charge.info.end_reason, Catch::Contains("charge"));
  const Captured level = run({"--stop-on", "I below 1 mA for 3 s"});
  CHECK(level.info.to_s() == Approx(level.rise("I", 9e-3) + 1.2 + 3).margin(0.02));
  CHECK_FALSE(level.info.interrupted);
}

TEST_CASE("a zero is measured with nothing flowing, or refused with the reason") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--seed", "5"});
  const auto ran = cli({"capture", path, "--input", bench.scpi(), "--seconds", "1", "--zero", "1 s",
                        "--accuracy", "0.08 % + 40 nA"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(c.channel("I").calibration.offset != 0);
  CHECK(std::fabs(c.channel("I").calibration.offset) < 45e-9);
  CHECK(std::fabs(*c.figures("I").mean()) < 5e-9);  // its offset error is gone
  CHECK(c.info.conditions.at("zeroed") == "yes");
  CHECK(c.info.conditions.count("zero_I") == 1);
  CHECK_THAT(c.channel("I").accuracy, Catch::Contains("k=2"));
  Bench on({"--power-on"});
  const auto refused =
      cli({"capture", path, "--input", on.scpi(), "--seconds", "1", "--zero", "1 s"});
  CHECK(refused.status == 65);
  CHECK_THAT(refused.err, Catch::Contains("not zeroed") && Catch::Contains("zero kept"));
}

TEST_CASE(
    "two outputs at once: the panel gives, and the cell takes and gives within every minute") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--device", "perch", "--speed", "20"});
  const auto ran = cli({"capture", path, "--input", bench.scpi(), "--input", bench.log(),
                        "--seconds", "120", "--power-on", "--output-on", "2", "--power-off"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  const auto spans = [&](const char* channel, double from, double to) {
    return cli({"span", path, "1", "--channel", channel, "--from", std::to_string(from), "--to",
                std::to_string(to), "--json"})
        .json();
  };
  // In shade the panel gives 60 uA and the cell feeds the device; in sun 4 mA come in bursts.
  CHECK(*c.figures("I2", 5, 50).mean() == Approx(60e-6).epsilon(0.02));
  CHECK(*c.figures("I2", 70, 110).mean() == Approx(4e-3).epsilon(0.01));
  const auto shade = spans("I1", 5, 50), sun = spans("I1", 65, 115);
  CHECK(shade["charge_in_c"].get<double>() < 0.01 * shade["charge_out_c"].get<double>());
  CHECK(shade["charge_c"].get<double>() > 50e-6 * 45);
  const double in = sun["charge_in_c"], out = sun["charge_out_c"];
  CHECK(in == Approx(4e-3 * 0.85 * 50).margin(9e-3));  // a burst of 8.5 mC more or less
  CHECK(out > 50e-6 * 40);
  CHECK(sun["charge_c"].get<double>() == Approx(out - in));
  CHECK(c.events(EventKind::output_on).size() == 2);
  const auto span = cli({"span", path, "1", "--channel", "I1", "--json"}).json();
  CHECK(span["charge_c"].get<double>() < 0);
}

TEST_CASE(
    "a device is reset by a line and by its output, and lines and the auxiliary output driven") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--power-on"});
  const auto run = [&](std::vector<std::string> more) {
    std::vector<std::string> call{"capture", path,        "--input",   bench.scpi(),
                                  "--input", bench.log(), "--seconds", "3"};
    call.insert(call.end(), more.begin(), more.end());
    return cli(call);
  };
  const auto lines = [](const Captured& c, const char* text) {
    int n = 0;
    for (const auto& l : c.book.log(c.info.id)) n += l.text.find(text) != std::string::npos;
    return n;
  };
  SECTION("a line") {
    const auto ran = run({"--reset", "line reset low for 500 ms"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    const auto resets = c.events(EventKind::device_reset);
    REQUIRE(resets.size() == 1);
    CHECK(resets[0].latest_s - resets[0].earliest_s == Approx(0.5).margin(0.15));
    CHECK_THAT(resets[0].text, Catch::Contains("line reset low"));
    // Held it draws next to nothing; let go it boots.
    const double up = c.rise("I", 9e-3, resets[0].earliest_s + 0.1);
    CHECK(up == Approx(resets[0].latest_s).margin(0.1));
    CHECK(*c.figures("I", resets[0].earliest_s + 0.1, up - 0.1).mean() ==
          Approx(45e-6).epsilon(0.05));
    CHECK(lines(c, "(reset pin)") == 1);
  }
  SECTION("its output") {
    const auto ran = run({"--reset", "output off for 400 ms"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    REQUIRE(c.events(EventKind::device_reset).size() == 1);
    CHECK(c.events(EventKind::output_off).size() == 1);
    CHECK(c.events(EventKind::output_on).size() == 1);
    CHECK(lines(c, "boot satchel") >= 1);  // and that of before, if it was still in the line
  }
  SECTION("an output that is off is not switched on by a reset") {
    const auto ran = run({"--reset", "output aux off for 200 ms"});
    REQUIRE(ran.status == 0);
    CHECK_THAT(ran.err, Catch::Contains("was not reset"));
    const Captured c(path);
    CHECK(c.events(EventKind::auxiliary_on).empty());
    CHECK(c.events(EventKind::device_reset).empty());
  }
  SECTION("a line that starts something, and the auxiliary output") {
    const auto ran = run({"--line", "wake=high", "--output-on", "aux", "--power-off"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    CHECK(c.info.conditions.at("line_wake") == "high");
    CHECK(lines(c, "service port: fed") == 1);
    CHECK(c.events(EventKind::output_on).empty());  // of the device's own power it says nothing
    REQUIRE(c.events(EventKind::auxiliary_on).size() == 1);
    CHECK(c.events(EventKind::auxiliary_on)[0].text == "output aux on");
  }
  SECTION("a level of the lines, where an instrument has one") {
    // The simulated one has none: its second output's voltage stands for it here.
    std::ifstream in(std::string(KUVIO_SOURCE) + "/profiles/simulated-analyser.profile.toml");
    std::string text{std::istreambuf_iterator<char>(in), {}};
    text +=
        "\n[line_level]\nset = \"VOLT {},(@2)\"\nquery = \"VOLT? (@2)\"\nmin = \"1.2 V\"\n"
        "max = \"5 V\"\n";
    const std::string profile = folder.write("levels.profile.toml", text);
    const auto ran = run({"--profile", profile, "--line-level", "3 V"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    CHECK(Captured(path).info.conditions.at("line_level") == "3 V");
    CHECK(run({"--profile", profile, "--line-level", "9 V"}).status == 64);
  }
  SECTION("what is not there is told") {
    CHECK(run({"--line", "nmi=high"}).status == 64);
    CHECK_THAT(run({"--line", "nmi=high"}).err, Catch::Contains("reset, wake"));
    CHECK(run({"--line", "reset"}).status == 64);
    CHECK(run({"--reset", "line reset"}).status == 64);
    // This instrument drives its lines at the device's own level.
    CHECK(run({"--line-level", "3 V"}).status == 64);
    const auto ran = run({"--reset", "line nmi low for 100 ms"});
    CHECK(ran.status == 0);  // recorded all the same
    CHECK_THAT(ran.err, Catch::Contains("no input has a digital line \"nmi\""));
  }
}

TEST_CASE("a capture by a bench set-up: what it says, and what the command line says otherwise") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", file = folder / "s.bench.toml";
  Bench bench({"--stream", "tcp", "--stream-rate", "1000"});
  std::ofstream(file)
      << "kuvio = \"bench/1\"\nname = \"two\"\nrate = \"500 Hz\"\nlength = \"500 ms\"\n"
         "start_on = \"I steady within 5 % for 500 ms\"\n"
         "pre_trigger = \"100 ms\"\n"
         "[conditions]\nboard = \"7\"\n[[input]]\naddress = \"" +
             bench.scpi() +
             "\"\nlogic = [\"radio_on\"]\n[[input.output]]\nvoltage = \"3.3 V\"\non = true\n"
             "off_at_end = true\n[[input]]\naddress = \"" +
             uri(bench, "stream") +
             "\"\n[[channel]]\nname = \"I_shunt\"\nshunt = \"100 mOhm\"\n[log]\naddress = \"" +
             bench.log() + "\"\n";
  const auto ran = cli({"capture", path, "--setup", file, "--build", "2.3.0"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(c.info.name == "2.3.0");
  CHECK(c.info.conditions.at("board") == "7");
  CHECK(c.info.conditions.at("setup") == "two");
  CHECK(c.info.conditions.at("voltage") == "3.3 V");
  CHECK(c.info.conditions.at("shunt_I_shunt") == "0.1 Ohm");
  CHECK(c.channel("I").samples == 250);
  CHECK(c.info.channel("radio_on"));
  CHECK(c.events(EventKind::armed_start).size() == 1);
  CHECK(*c.figures("I").mean() == Approx(18e-3).epsilon(0.02));
  const auto shorter = cli({"capture", path, "--setup", file, "--seconds", "0.5", "--rate", "1 kHz",
                            "--condition", "board=8"});
  INFO(shorter.err);
  REQUIRE(shorter.status == 0);
  CHECK(Captured(path, 2).channel("I").samples == 500);
  CHECK(Captured(path, 2).info.conditions.at("board") == "8");
  CHECK(cli({"capture", path, "--setup", file, "--input", bench.scpi()}).status == 64);
  CHECK(cli({"capture", path, "--setup", folder / "none.toml"}).status == 66);
  // With nothing said of the device's own output, --power-on still means that one.
  std::ofstream(file) << "kuvio = \"bench/1\"\nname = \"aux\"\n[[input]]\naddress = \"" +
                             bench.scpi() + "\"\n[[input.output]]\nname = \"aux\"\n";
  const auto powered =
      cli({"capture", path, "--setup", file, "--seconds", "1", "--power-on", "--power-off"});
  INFO(powered.err);
  REQUIRE(powered.status == 0);
  const Captured own(path, 3);
  CHECK(own.events(EventKind::output_on).size() == 1);
  CHECK(own.events(EventKind::auxiliary_on).empty());
  std::ofstream(file, std::ios::app) << "colour = 3\n";
  CHECK(cli({"capture", path, "--setup", file}).status == 65);
}

TEST_CASE("a drop over a shunt is recorded as the current through it") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", file = folder / "drop.csv";
  {
    std::ofstream out(file);
    out << "t [ms],V_shunt [mV]\n";
    for (int i = 0; i <= 1000; ++i) out << i << ",2.5\n";
  }
  const auto ran = cli({"capture", path, "--input", "lines:" + file, "--seconds", "0.9", "--shunt",
                        "V_shunt=100 mOhm"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(c.channel("V_shunt").quantity == Quantity::current);
  CHECK(c.channel("V_shunt").unit == "A");
  CHECK(*c.figures("V_shunt").mean() == Approx(25e-3));
  CHECK(c.info.conditions.at("shunt_V_shunt") == "0.1 Ohm");
  CHECK(cli({"capture", path, "--input", "lines:" + file, "--seconds", "0.9", "--shunt", "X=1 Ohm"})
            .status == 64);
}

TEST_CASE("recorded with power to come, a device that is on already keeps its log") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20", "--seed", "3", "--power-on"});
  const auto ran = cli({"capture", path, "--input", bench.scpi(), "--input", bench.log(),
                        "--power-on", "--seconds", "150", "--time-scale", "20", "--json"});
  INFO(ran.err);
  CHECK(ran.status == 0);
  CHECK_THAT(ran.err, Catch::Contains("already on"));
  const book::Book book = book::Book::open(path, book::Book::Mode::read);
  int wakes = 0;
  for (const book::LogLine& line : book.log(1)) {
    wakes += line.text.rfind("wake", 0) == 0;
    // Placed by the arrival of the first line, which may lie before the first sample by what the
    // start takes: up to half a second of this computer's, times the time scale.
    CHECK(line.time_s >= -10);
    CHECK(line.time_s <= 150.5);
  }
  CHECK(wakes >= 1);
}

TEST_CASE("an output that somebody set above its ceiling is not switched on") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", file = folder / "s.bench.toml";
  Bench bench({});
  const auto set_up = [&](const std::string& ceiling) {
    std::ofstream(file) << "kuvio = \"bench/1\"\nname = \"low\"\nlength = \"500 ms\"\n"
                           "[[input]]\naddress = \"" +
                               bench.scpi() +
                               "\"\n[[input.output]]\non = true\noff_at_end = true\nnever_above = "
                               "{ voltage = \"" +
                               ceiling + "\" }\n";
    return cli({"capture", path, "--setup", file, "--build", "1"});
  };
  // It stands at 3.6 V, and nothing here says otherwise.
  const auto refused = set_up("3.3 V");
  CHECK(refused.status == 64);
  CHECK_THAT(refused.err, Catch::Contains("3.600") && Catch::Contains("ceiling of 3.300") &&
                              Catch::Contains("nothing was switched on"));
  CHECK_FALSE(std::filesystem::exists(path));
  const auto taken = set_up("3.6 V");
  INFO(taken.err);
  CHECK(taken.status == 0);
  CHECK(Captured(path).figures("I").mean().has_value());
}
