// SPDX-License-Identifier: GPL-3.0-or-later
// Every kind of input over a real socket, pseudo-terminal, pipe, file or sensor tree, through
// kuvio-cli capture.

#include "cli/captured.h"
#include "cli/pump.h"

#include "stream_truth.h"
#include "support.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

using namespace kuvio;
using test::Bench;
using test::Captured;
using test::cli;
using test::uri;

namespace {

const std::string kStrangers = std::string(KUVIO_SOURCE) + "/tests/foreign_instruments/";

}  // namespace

TEST_CASE("a supply over a serial line, and as usbtmc over a pseudo-terminal") {
  const char* kind = GENERATE("serial", "usbtmc");
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--serial"});
  const auto ran = cli({"capture", path, "--input", uri(bench, kind), "--seconds", "1.5",
                        "--power-on", "--power-off", "--record-voltage"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(c.channel("I").samples == 1500);
  CHECK(c.figures("I", 0.5, 1).mean() == Approx(18e-3).epsilon(0.01));
  CHECK(c.figures("V", 0.5, 1).mean() == Approx(3.6 - 0.35 * 18e-3).epsilon(0.001));
}

TEST_CASE("all kinds of equipment around one device lie on one time axis") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--stream", "serial", "--stream-rate", "2000", "--lines", "tcp", "--lines-rate",
               "200", "--meter", "--sensors", folder / "sensors"});
  const auto ran = cli({"capture",     path,
                        "--input",     bench.scpi(),
                        "--input",     uri(bench, "stream"),
                        "--input",     uri(bench, "lines"),
                        "--input",     uri(bench, "meter"),
                        "--input",     uri(bench, "hwmon") + "?rate=100",
                        "--input",     uri(bench, "iio") + "?rate=100&name=adc",
                        "--input",     bench.log(),
                        "--seconds",   "4",
                        "--power-on",  "--logic",
                        "radio_on",    "--send",
                        "2 s: status", "--json"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  const double on = c.rise("I", 9e-3);
  REQUIRE(on >= 0);
  // The output comes on and Boot's 18 mA begin: everything that measures the device sees it.
  CHECK(c.rise("I_shunt", 9e-3) == Approx(on).margin(0.005));
  CHECK(c.rise("I3", 9e-3) == Approx(on).margin(0.01));      // the meter
  CHECK(c.rise("I2", 9e-3) == Approx(on).margin(0.03));      // lines of 5 ms, as they arrive
  CHECK(c.rise("supply", 9e-3) == Approx(on).margin(0.05));  // hwmon counts mA
  CHECK(c.rise("adc.in_current0", 9e-3) == Approx(on).margin(0.05));
  for (const char* name : {"I", "I_shunt", "I2", "I3", "supply", "adc.in_current0"}) {
    INFO(name);
    CHECK(*c.figures(name, on + 0.3, on + 1).mean() == Approx(18e-3).epsilon(0.02));
  }
  CHECK(*c.figures("adc.in_voltage0", on + 0.3, on + 1).mean() == Approx(3.6).epsilon(0.001));
  CHECK_FALSE(c.channel("I").clock);
  CHECK(c.channel("I_shunt").clock);
  CHECK(c.book.sync_points(c.channel("I_shunt").id).size() >= 2);
  CHECK(c.info.conditions.at("input_2") == "Simulated shunt digitiser");
  int sent = 0, answered = 0;
  for (const auto& line : c.book.log(1)) {
    sent += line.sent && line.text == "status";
    answered += !line.sent && line.text.rfind("ok wakes", 0) == 0;
  }
  CHECK(sent == 1);
  CHECK(answered == 1);
  CHECK(cli({"verify", path}).status == 0);
}

TEST_CASE("what a stream loses on the way is marked where it is, and counted") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", truth_file = folder / "truth.json";
  const std::string seed = std::to_string(std::random_device{}() % 1'000'000);
  INFO("seed " << seed);
  // One frame in a hundred dropped, one in a thousand garbled, of fifty a simulated second.
  Bench bench({"--speed", "20", "--stream", "tcp", "--stream-rate", "10000", "--stream-drop",
               "0.01", "--stream-garble", "0.001", "--seed", seed, "--power-on", "--truth",
               truth_file});
  const auto ran = cli({"capture", path, "--input", uri(bench, "stream"), "--seconds", "100"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  const SpanFigures all = c.figures("I_shunt");
  CHECK(all.samples + all.dropped == 1'000'000);
  CHECK(all.missing_s == Approx(static_cast<double>(all.dropped) / 10'000));
  // Around every gap the current is what it was: nothing is filled in.
  const auto lost = c.events(EventKind::samples_lost);
  // What is lost at an end is missing too, and no gap between samples.
  const book::ChannelTrace trace(c.book, c.channel("I_shunt"));
  const auto ticks = [&](double from_s, double to_s) {
    return std::llround((to_s - from_s) * 1e4);
  };
  const auto first = trace.time_base().seconds(trace.blocks().front().start),
             last = trace.time_base().seconds(trace.blocks().back().end);
  const auto at_start = ticks(trace.from_s(), first), at_end = ticks(last, trace.to_s());
  CHECK(static_cast<std::int64_t>(lost.size()) ==
        c.channel("I_shunt").gaps + (at_start > 0) + (at_end > 0));
  for (const auto& e : lost) {
    const SpanFigures inside = c.figures("I_shunt", e.earliest_s, e.latest_s);
    CHECK(inside.samples == 0);
    CHECK(inside.charge == 0);
  }
  CHECK_THAT(ran.err, Catch::Contains("they are marked"));
  bench.process.signal(SIGTERM);
  bench.process.wait();
  const auto truth = nlohmann::json::parse(std::ifstream(truth_file))["stream"];
  const test::StreamKept kept = test::hold_against(c.book, c.info, truth);
  CHECK(kept.lost_frames > 20);
  CHECK(kept.same > 4800);
  CHECK(kept.other == 0);
  CHECK(kept.missing == 0);
  CHECK(kept.invented == 0);
  CHECK(kept.lost_samples + at_start + at_end == all.dropped);
  CHECK(kept.lost_runs == c.channel("I_shunt").gaps);
}

TEST_CASE("the binary stream is read from a pipe too") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", pipe = folder / "pipe";
  Bench bench({"--stream", "tcp", "--stream-rate", "5000", "--power-on"});
  const test::Pump pump(uri(bench, "stream"), pipe);
  const auto ran = cli({"capture", path, "--input", "stream:" + pipe, "--seconds", "2"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(c.channel("I_shunt").samples == 10'000);
  CHECK(c.channel("I_shunt").gaps == 0);
  CHECK(*c.figures("V_dut").mean() == Approx(3.6).epsilon(0.01));
}

TEST_CASE("a digitiser that starts again, falls silent or hangs up is told") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  SECTION("starts again") {
    Bench bench({"--stream", "tcp", "--stream-restart", "2.5"});
    const auto ran = cli({"capture", path, "--input", uri(bench, "stream"), "--seconds", "5"});
    CHECK(ran.status == 0);
    const Captured c(path);
    REQUIRE(c.events(EventKind::samples_lost).size() == 1);
    CHECK(c.events(EventKind::samples_lost)[0].text == "the digitiser started again");
    // By this computer's clock: what it stood still meanwhile is in it.
    CHECK(c.figures("I_shunt").missing_s > 0.2);
    CHECK(c.figures("I_shunt").missing_s < 2.6);  // all that was left of the five seconds
    CHECK(c.info.to_s() == Approx(5));
  }
  SECTION("falls silent") {
    Bench bench({"--stream", "tcp", "--stream-stall", "2"});
    const auto ran = cli({"capture", path, "--input", uri(bench, "stream"), "--seconds", "60"});
    CHECK(ran.status == 69);
    CHECK_THAT(ran.err, Catch::Contains("stalled") && Catch::Contains("saved"));
  }
  SECTION("is killed") {
    Bench bench({"--stream", "tcp"});
    test::Process recorder("kuvio-cli",
                           {"capture", path, "--input", uri(bench, "stream"), "--seconds", "60"});
    for (int i = 0; i < 300 && !std::filesystem::exists(path); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    std::this_thread::sleep_for(std::chrono::milliseconds(1000));
    bench.process.signal(SIGKILL);
    CHECK(recorder.wait() == 69);
    CHECK(Captured(path).info.interrupted);
  }
}

TEST_CASE("lines of text through a pipe: units in cells, strange lines kept, gaps and specials") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", pipe = folder / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  std::jthread writer([&] {
    std::ofstream out(pipe);
    for (int i = 0; i < 80; ++i) {
      const int ms = i < 40 ? i * 10 : i * 10 + 1000;  // a second is missing
      if (i == 20) {
        out << ms << " ms; 3.280 V; OVLD\n";
      } else if (i == 30) {
        out << "self test \x01 passed\n" << ms << " ms; 3.280 V; 71.900 mA\n";
      } else {
        out << ms << " ms; 3.280 V; 71.900 mA\n";
      }
      out.flush();
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
  });
  const auto ran = cli({"capture", path, "--input", "lines:" + pipe, "--seconds", "60"});
  CHECK(ran.status == 69);  // it ended before
  CHECK_THAT(ran.err,
             Catch::Contains("is not a reading") && Catch::Contains("closed the connection"));
  const Captured c(path);
  const SpanFigures i = c.figures("I");
  CHECK(i.samples == 79);
  CHECK(i.over_range == 1);
  CHECK(*i.mean() == Approx(71.9e-3));
  CHECK(i.missing_s == Approx(1.01 + 0.02).margin(0.002));  // the jump, and around the flag
  CHECK(*c.figures("V").mean() == Approx(3.28));
  const auto log = c.book.log(1);
  REQUIRE(log.size() == 1);
  CHECK(log[0].text == "self test \\x01 passed");
  CHECK(c.info.to_s() == Approx(1.79));
}

TEST_CASE("a file that grows is followed, its header and its own times read") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", file = folder / "log.csv";
  std::ofstream(file) << "t_us,current (uA)\n0,5\n";
  std::atomic<bool> done{false};
  std::jthread writer([&] {
    std::ofstream out(file, std::ios::app);
    for (int i = 1; i < 3000 && !done; ++i) {
      out << i * 1000 << "," << (i < 500 ? 5 : 7) << "\n";
      if (i % 10 == 0) out.flush();
      std::this_thread::sleep_for(std::chrono::microseconds(500));
    }
  });
  const auto ran = cli({"capture", path, "--input", "lines:" + file, "--seconds", "1"});
  done = true;
  INFO(ran.err);
  CHECK(ran.status == 0);
  const Captured c(path);
  CHECK(c.figures("current").samples == 1000);
  CHECK(c.rise("current", 6e-6) == Approx(0.5));
  CHECK(*c.figures("current", 0, 0.499).mean() == Approx(5e-6));
}

TEST_CASE("lines that stand where they arrive, and counted ones, over a serial line") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--lines", "serial", "--lines-rate", "100", "--lines-without-time", "--power-on"});
  for (const char* option : {"?columns=I%20[mA],U%20[V]", "?columns=I%20[mA],U%20[V]&rate=100"}) {
    const auto ran =
        cli({"capture", path, "--input", uri(bench, "lines") + option, "--seconds", "2"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
  }
  const Captured arrived(path, 1), counted(path, 2);
  // Lines that had queued up before somebody listened arrive with the first.
  CHECK(arrived.figures("I").samples >= 188);
  CHECK(arrived.figures("I").samples < 400);
  CHECK(counted.figures("I").samples == 200);
  CHECK(*counted.figures("U").mean() == Approx(3.6).epsilon(0.01));
}

TEST_CASE("a stranger's instrument works through a profile alone") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", profile = kStrangers + "bench_meter.profile.toml";
  test::Process meter("python3", {kStrangers + "bench_meter.py"});
  const std::string input = "scpi+tcp://127.0.0.1:" + meter.line();
  const auto tried = cli({"profile", profile, "--input", input});
  INFO(tried.out + tried.err);
  CHECK(tried.status == 0);
  CHECK_THAT(tried.out, Catch::Contains("Every command was answered"));
  const auto ran =
      cli({"capture", path, "--input", input, "--profile", profile, "--rate", "500 Hz", "--voltage",
           "3.3", "--current-limit", "150 mA", "--power-on", "--power-off", "--seconds", "3"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(c.info.conditions.at("input") == "WORKSHOP METER 7; S/N 0042");
  CHECK(c.info.conditions.at("voltage") == "3.3 V");
  CHECK(c.channel("I").samples == 1500);
  CHECK(c.channel("I").accuracy == "0.1 % + 2 uA");
  const double on = c.rise("I", 1e-3);
  REQUIRE(on > 0);
  CHECK(*c.figures("I", on + 0.05, on + 0.45).mean() == Approx(2e-3));
  CHECK(*c.figures("I", on + 0.55, on + 0.95).mean() == Approx(12e-3));
  CHECK(c.rise("I", 10e-3) - on == Approx(0.5).margin(0.003));
  const auto refused = cli({"capture", path, "--input", input, "--profile", profile, "--voltage",
                            "9", "--seconds", "1"});
  CHECK(refused.status == 64);
  CHECK_THAT(refused.err, Catch::Contains("outside what the profile") && Catch::Contains("0 to 5"));
}

TEST_CASE("a profile that does not fit is told by the command that failed and its answer") {
  const test::Folder folder;
  const std::string wrong = folder / "wrong.profile.toml";
  {
    std::ifstream in(kStrangers + "bench_meter.profile.toml");
    std::string text((std::istreambuf_iterator<char>(in)), {});
    const auto at = text.find("HOWMANY?");
    text.replace(at, 8, "MANY?");
    std::ofstream(wrong) << text.insert(text.find("[log]"), "");
  }
  test::Process meter("python3", {kStrangers + "bench_meter.py"});
  const auto tried =
      cli({"profile", wrong, "--input", "scpi+tcp://127.0.0.1:" + meter.line(), "--json"});
  CHECK(tried.status == 69);
  bool told = false;
  const auto document = tried.json();
  for (const auto& s : document["steps"]) {
    if (s["key"] == "log.ready") {
      told = true;
      CHECK(s["ok"] == false);
      CHECK(s["command"] == "MANY?");
    }
  }
  CHECK(told);
}

TEST_CASE("profiles that are wrong are told with their line") {
  const test::Folder folder;
  const std::string file = folder / "p.toml";
  for (const auto& [text, line, what] :
       {std::tuple{"name = \"x\"\n", 1, "kuvio"},
        std::tuple{"kuvio = \"profile/1\"\nname = \"x\"\n[protocol]\nterminator = \"LFCR\"\n", 4,
                   "terminator"},
        std::tuple{"kuvio = \"profile/1\"\nname = \"x\"\nmatch = \"(\"\n", 3, "regular"},
        std::tuple{"kuvio = \"profile/1\"\nname = \"x\"\n[[channel]]\nname = \"I\"\nasl = \"Q\"\n",
                   5, "asl"},
        std::tuple{"kuvio = \"profile/1\"\nname = \"x\"\n[[output]]\non = \"A\"\noff = \"B\"\n"
                   "voltage = { set = \"VOLT 3\" }\n",
                   6, "{}"},
        std::tuple{"kuvio = \"profile/1\"\nname = \"x\"\n[[line]]\nname = \"reset\"\n", 3,
                   "high"}}) {
    std::ofstream(file) << text;
    const auto ran = cli({"profile", file});
    INFO(ran.err);
    CHECK(ran.status == 65);
    CHECK_THAT(ran.err, Catch::Contains("p.toml:" + std::to_string(line)) && Catch::Contains(what));
  }
}
