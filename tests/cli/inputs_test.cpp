// SPDX-License-Identifier: GPL-3.0-or-later
// Every kind of input over a real socket, pseudo-terminal, pipe, file or sensor tree, through
// kuvio-cli capture.

#include "book/book.h"
#include "book/channel_trace.h"
#include "cli/process.h"
#include "cli/pump.h"
#include "core/measure.h"

#include "stream_truth.h"
#include "support.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <fstream>
#include <random>
#include <thread>

using namespace kuvio;
using test::Bench;
using test::cli;

namespace {

const std::string kStrangers = std::string(KUVIO_SOURCE) + "/tests/strangers/";

/// A capture that was recorded, with its first book and channels at hand.
struct Captured {
  book::Book book;
  book::CaptureInfo info;

  explicit Captured(const std::string& path, std::int64_t id = 1)
      : book(book::Book::open(path, book::Book::Mode::read)), info(book.capture(id)) {}
  const book::ChannelInfo& channel(const std::string& name) const {
    const auto* c = info.channel(name);
    if (!c) throw std::runtime_error("no channel " + name);
    return *c;
  }
  SpanFigures figures(const std::string& name) const {
    return measure(book::ChannelTrace(book, channel(name)));
  }
  SpanFigures figures(const std::string& name, double a, double b) const {
    return measure(book::ChannelTrace(book, channel(name)), a, b);
  }
  /// When the current first passes a level.
  double rise(const std::string& name, double level, double from = 0) const {
    return test::first_above(book::ChannelTrace(book, channel(name)), level, from);
  }
  std::vector<book::Event> events(const std::string& kind) const {
    std::vector<book::Event> out;
    for (const auto& e : book.events(info.id)) {
      if (e.kind == kind) out.push_back(e);
    }
    return out;
  }
};

std::string uri(const Bench& bench, const char* key) { return bench.endpoints.at(key); }

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
  const auto lost = c.events("samples_lost");
  CHECK(static_cast<std::int64_t>(lost.size()) == c.channel("I_shunt").gaps);
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
  CHECK(kept.lost_samples == all.dropped);
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
    REQUIRE(c.events("samples_lost").size() == 1);
    CHECK(c.events("samples_lost")[0].text == "the digitiser started again");
    CHECK(c.figures("I_shunt").missing_s == Approx(0.3).margin(0.1));
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
    std::this_thread::sleep_for(std::chrono::milliseconds(1500));
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
        out << "6.310 V; OVLD; " << ms << " ms\n";
      } else if (i == 30) {
        out << "self test \x01 passed\n"
            << "6.310 V; 88.400 mA; " << ms << " ms\n";
      } else {
        out << "6.310 V; 88.400 mA; " << ms << " ms\n";
      }
      out.flush();
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
  });
  const auto ran = cli({"capture", path, "--input", "lines:" + pipe, "--seconds", "60"});
  CHECK(ran.status == 69);  // it ended before
  CHECK_THAT(ran.err, Catch::Contains("is no reading") && Catch::Contains("hung up"));
  const Captured c(path);
  const SpanFigures i = c.figures("I");
  CHECK(i.samples == 79);
  CHECK(i.over_range == 1);
  CHECK(*i.mean() == Approx(88.4e-3));
  CHECK(i.missing_s == Approx(1.01 + 0.02).margin(0.002));  // the jump, and around the flag
  CHECK(*c.figures("V").mean() == Approx(6.31));
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
  CHECK(arrived.figures("I").samples == Approx(200).margin(12));
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
  CHECK_THAT(tried.out, Catch::Contains("Everything was answered"));
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
        std::tuple{"kuvio = \"profile/1\"\nname = \"x\"\n[talk]\nterminator = \"LFCR\"\n", 4,
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
    CHECK(c.events("output_cut_off").size() == 1);
    CHECK(c.events("device_reset_loop").empty());
    CHECK(*c.figures("I", 20, 40).max < 1e-6);
    CHECK(c.info.conditions.at("on_over_current") == "switch off");
    CHECK(c.info.conditions.at("current_limit") == "0.01 A");
    CHECK(c.book.output_switches(1).size() == 2);  // on, and off by itself
  }
  SECTION("browns out and resets in a loop") {
    const auto ran =
        cli({"capture", path, "--input", bench.scpi(), "--input", bench.log(), "--seconds", "20",
             "--power-on", "--current-limit", "15 mA", "--on-over-current", "hold"});
    CHECK(ran.status == 0);
    CHECK_THAT(ran.err, Catch::Contains("reset loop") && Catch::Contains("current limit"));
    const Captured c(path);
    REQUIRE_FALSE(c.events("device_reset_loop").empty());
    CHECK_THAT(c.events("device_reset_loop")[0].text, Catch::Contains("186"));
    // Each round once: 20 s in rounds of 186 ms, less the time before the output came on.
    CHECK(c.events("current_limited").size() > 50);
    CHECK(c.events("current_limited").size() <= 108);
    CHECK(*c.figures("I").max == Approx(15e-3).epsilon(0.05));
  }
  SECTION("neither, with room to breathe") {
    const auto ran = cli({"capture", path, "--input", bench.scpi(), "--seconds", "40", "--power-on",
                          "--current-limit", "300 mA", "--on-over-current", "hold"});
    CHECK(ran.status == 0);
    const Captured c(path);
    CHECK(c.events("current_limited").empty());
    CHECK(c.events("output_cut_off").empty());
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
  CHECK_THAT(ran.err, Catch::Contains("out of reach"));
  const Captured c(path);
  CHECK(c.channel("I").samples == 5000);  // the instrument kept them
  CHECK(c.channel("I").gaps == 0);
  REQUIRE(c.events("link_lost").size() == 1);
  CHECK(c.events("link_lost")[0].earliest_s == Approx(2).margin(0.3));
}

TEST_CASE("a capture can be armed: a level, an edge or a line begin it, with what was before") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20", "--power-on"});
  const std::vector<std::string> call{"capture",   path,        "--input", bench.scpi(), "--input",
                                      bench.log(), "--seconds", "10",      "--before",   "2 s",
                                      "--logic",   "radio_on",  "--logic", "locate_on"};
  const auto with = [&](const std::string& arm) {
    auto all = call;
    all.insert(all.end(), {"--arm", arm});
    return all;
  };
  SECTION("a level") {
    const auto ran = cli(with("I above 2 mA"));  // a wake
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    CHECK(c.channel("I").samples == 10'000);
    CHECK(c.rise("I", 2e-3) == Approx(2).margin(0.002));
    CHECK(*c.figures("I", 0, 1.99).max < 2e-3);
    REQUIRE(c.events("armed_start").size() == 1);
    CHECK(c.events("armed_start")[0].earliest_s == Approx(2).margin(0.002));
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
  const Captured charge = run({"--until-charge", "10 mC"});
  CHECK(charge.figures("I").charge == Approx(10e-3).epsilon(0.2));
  CHECK(charge.info.to_s() < 2);
  CHECK_THAT(charge.info.end_reason, Catch::Contains("charge"));
  const Captured level = run({"--until", "I below 1 mA for 3 s"});
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
  CHECK_THAT(refused.err, Catch::Contains("not zeroed") && Catch::Contains("is kept"));
}

TEST_CASE("two outputs at once: the cell is relieved on the cradle, and current flows back") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--device", "tally", "--speed", "20"});
  const auto ran = cli({"capture", path, "--input", bench.scpi(), "--input", bench.log(),
                        "--seconds", "120", "--power-on", "--output-on", "2", "--power-off"});
  INFO(ran.err);
  REQUIRE(ran.status == 0);
  const Captured c(path);
  CHECK(*c.figures("I1", 70, 110).mean() == Approx(-0.18).epsilon(0.01));
  CHECK(*c.figures("I1", 5, 50).mean() > 9e-3);
  CHECK(*c.figures("I2", 70, 110).mean() > 0.2);
  CHECK(c.events("output_on").size() == 2);
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
    const auto ran = run({"--reset", "line reset low for 500 ms", "--line-level", "3 V"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    const auto resets = c.events("device_reset");
    REQUIRE(resets.size() == 1);
    CHECK(resets[0].latest_s - resets[0].earliest_s == Approx(0.5).margin(0.15));
    CHECK_THAT(resets[0].text, Catch::Contains("line reset low"));
    // Held it draws next to nothing; let go it boots.
    const double up = c.rise("I", 9e-3, resets[0].earliest_s + 0.1);
    CHECK(up == Approx(resets[0].latest_s).margin(0.1));
    CHECK(*c.figures("I", resets[0].earliest_s + 0.1, up - 0.1).mean() ==
          Approx(45e-6).epsilon(0.05));
    CHECK(lines(c, "(reset pin)") == 1);
    CHECK(c.info.conditions.at("line_level") == "3 V");
  }
  SECTION("its output") {
    const auto ran = run({"--reset", "output off for 400 ms"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    REQUIRE(c.events("device_reset").size() == 1);
    CHECK(c.events("output_off").size() == 1);
    CHECK(c.events("output_on").size() == 1);
    CHECK(lines(c, "boot satchel") >= 1);  // and that of before, if it was still in the line
  }
  SECTION("an output that is off is not switched on by a reset") {
    const auto ran = run({"--reset", "output aux off for 200 ms"});
    REQUIRE(ran.status == 0);
    CHECK_THAT(ran.err, Catch::Contains("was not reset"));
    const Captured c(path);
    CHECK(c.events("auxiliary_on").empty());
    CHECK(c.events("device_reset").empty());
  }
  SECTION("a line that starts something, and the auxiliary output") {
    const auto ran = run({"--line", "wake=high", "--output-on", "aux", "--power-off"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const Captured c(path);
    CHECK(c.info.conditions.at("line_wake") == "high");
    CHECK(lines(c, "service port: 5 V") == 1);
    CHECK(c.events("output_on").empty());  // of the device's own power it says nothing
    REQUIRE(c.events("auxiliary_on").size() == 1);
    CHECK(c.events("auxiliary_on")[0].text == "output aux");
  }
  SECTION("what is not there is told") {
    CHECK(run({"--line", "nmi=high"}).status == 64);
    CHECK_THAT(run({"--line", "nmi=high"}).err, Catch::Contains("reset, wake"));
    CHECK(run({"--line", "reset"}).status == 64);
    CHECK(run({"--reset", "line reset"}).status == 64);
    CHECK(run({"--line-level", "9 V"}).status == 64);
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
         "begin = \"I steady within 5 % for 500 ms\"\nbefore = \"100 ms\"\n"
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
  CHECK(c.events("armed_start").size() == 1);
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
  CHECK(own.events("output_on").size() == 1);
  CHECK(own.events("auxiliary_on").empty());
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
  CHECK(c.channel("V_shunt").quantity == "current");
  CHECK(c.channel("V_shunt").unit == "A");
  CHECK(*c.figures("V_shunt").mean() == Approx(25e-3));
  CHECK(c.info.conditions.at("shunt_V_shunt") == "0.1 Ohm");
  CHECK(cli({"capture", path, "--input", "lines:" + file, "--seconds", "0.9", "--shunt", "X=1 Ohm"})
            .status == 64);
}
