// SPDX-License-Identifier: GPL-3.0-or-later
// The recorder against an instrument and a device that are not the simulated bench.

#include "acquire/recorder.h"

#include "acquire/console.h"
#include "book/channel_trace.h"
#include "book/verify.h"
#include "core/accuracy.h"
#include "core/error.h"
#include "core/measure.h"

#include "support.h"

#include <asio.hpp>
#include <catch2/catch.hpp>
#include <fcntl.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <atomic>
#include <cstring>
#include <functional>
#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;
using kuvio::test::Console;

namespace {

/// An analyser on TCP that logs 1 kS/s of 1 mA in real time; what it answers can be changed.
class Instrument {
public:
  std::function<std::string(const std::string&)>
      instead;  ///< an answer of its own to a message, or ""
  std::function<float(std::int64_t)> sample = [](std::int64_t) { return 1e-3F; };
  std::atomic<std::int64_t> oldest{0};
  std::atomic<bool> hang_up{false};
  std::vector<std::string> heard;

  void start() {
    thread_ = std::jthread([this](const std::stop_token& stop) { serve(stop); });
  }
  std::string uri() const {
    return "scpi+tcp://127.0.0.1:" + std::to_string(acceptor_.local_endpoint().port());
  }

private:
  void serve(const std::stop_token& stop) {
    asio::ip::tcp::socket socket(io_);
    acceptor_.non_blocking(true);
    asio::error_code failed = asio::error::would_block;
    while (failed && !stop.stop_requested()) {
      acceptor_.accept(socket, failed);
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }
    socket.non_blocking(true, failed);
    std::string in;
    while (!stop.stop_requested() && !hang_up) {
      char buffer[4096];
      const std::size_t n = socket.read_some(asio::buffer(buffer), failed);
      if (failed == asio::error::eof) return;
      in.append(buffer, n);
      for (auto end = in.find('\n'); end != std::string::npos; end = in.find('\n')) {
        const std::string message = in.substr(0, end);
        in.erase(0, end + 1);
        heard.push_back(message);
        const std::string out = answer(message);
        if (!out.empty()) {
          socket.non_blocking(false, failed);
          asio::write(socket, asio::buffer(out), failed);
          socket.non_blocking(true, failed);
        }
      }
      if (n == 0) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }
  }

  std::int64_t logged() const {
    return std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now() -
                                                                 began_)
        .count();
  }
  std::string answer(const std::string& m) {
    if (instead) {
      if (const std::string own = instead(m); !own.empty()) return own;
    }
    if (m == "*IDN?") return "Workbench,Stranger,0,1\r\n";
    if (m == "*OPC?") return "1\n";
    if (m == "OUTP?") return on_ ? "1\n" : "0\n";
    if (m == "OUTP ON") on_ = true;
    if (m == "VOLT?") return "+3.30000000E+00\n";
    if (m == "SYST:ERR?") return "+0,\"No error\"\n";
    if (m == "SENS:SWE:TINT?") return "1.0E-3\n";
    if (m == "INIT") began_ = std::chrono::steady_clock::now();
    if (m == "FETC:ARR:POIN?")
      return std::to_string(oldest.load()) + "," + std::to_string(logged()) + "\n";
    long long first = 0, count = 0;
    if (std::sscanf(m.c_str(), "FETC:ARR:CURR? %lld,%lld", &first, &count) == 2) {
      std::string data(static_cast<std::size_t>(count) * 4, '\0');
      for (long long i = 0; i < count; ++i) {
        const float v = sample(first + i);
        std::memcpy(data.data() + i * 4, &v, 4);
      }
      const std::string length = std::to_string(data.size());
      return "#" + std::to_string(length.size()) + length + data + "\n";
    }
    return "";
  }

  asio::io_context io_;
  asio::ip::tcp::acceptor acceptor_{io_, {asio::ip::address_v4::loopback(), 0}};
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
  bool on_ = false;
  std::jthread thread_;
};

struct Bench {
  test::Folder folder;
  std::string path = folder / "b.kuvio";
  book::Book book = book::Book::open(path, book::Book::Mode::create);
  Instrument instrument;
  RecordSettings settings;
  InputSettings setup;
  OutputSettings& output = setup.outputs[""];

  RecordResult record(double seconds, const std::stop_token& stop = {},
                      const std::function<void(const RecordProgress&)>& progress = {}) {
    instrument.start();
    settings.name = "c";
    settings.inputs = {{parse_endpoint(instrument.uri()), setup}};
    settings.seconds = seconds;
    return acquire::record(book, settings, stop, progress);
  }
  SpanFigures whole() const {
    const auto captures = book.captures();
    return measure(book::ChannelTrace(book, captures.front().channels.front()));
  }
};

}  // namespace

TEST_CASE("another maker's instrument is recorded to the sample") {
  Bench bench;
  const RecordResult result = bench.record(0.5);
  CHECK(result.end_reason == "complete");
  CHECK_FALSE(result.interrupted);
  const SpanFigures f = bench.whole();
  CHECK(f.samples == 500);
  CHECK(f.charge == Approx(0.5e-3).epsilon(1e-6));
  const auto c = bench.book.captures().front();
  CHECK(c.conditions.at("input") == "Workbench,Stranger,0,1");
  CHECK(c.conditions.at("voltage") == "3.3 V");
  CHECK(std::find(bench.instrument.heard.begin(), bench.instrument.heard.end(), "OUTP ON") ==
        bench.instrument.heard.end());
  CHECK(bench.instrument.heard.back() == "SYST:ERR?");
}

TEST_CASE("samples the instrument has lost are a marked gap, the charge around it untouched") {
  Bench bench;
  bench.instrument.sample = [&](std::int64_t i) {
    if (i > 200) bench.instrument.oldest = 400;  // its memory overran
    return 1e-3F;
  };
  bench.record(1.0);
  const SpanFigures f = bench.whole();
  CHECK(f.dropped > 0);
  CHECK(f.samples + f.dropped == 1000);
  CHECK(f.missing_s == Approx(static_cast<double>(f.dropped) / 1000));
  CHECK(*f.mean() == Approx(1e-3).epsilon(1e-6));
  CHECK(bench.book.events(1).front().kind == EventKind::samples_lost);
  CHECK(book::verify(bench.book).empty());
}

TEST_CASE("special values are flagged, never data") {
  Bench bench;
  bench.instrument.sample = [](std::int64_t i) {
    return i >= 100 && i < 110   ? 9.9e37F
           : i >= 200 && i < 205 ? 9.91e37F
           : i == 300            ? NAN
           : i == 310            ? -9.9e37F
                                 : 1e-3F;
  };
  bench.record(0.6);
  const SpanFigures f = bench.whole();
  CHECK(f.over_range == 10);
  CHECK(f.below_range == 1);
  CHECK(f.not_a_number == 6);
  CHECK(f.bounds().lower);
  CHECK(*f.max == Approx(1e-3));
  CHECK(bench.book.captures().front().channels.front().gaps == 4);
}

TEST_CASE("a lost link ends the capture with what came until then") {
  Bench bench;
  bench.instrument.sample = [&](std::int64_t i) {
    if (i > 300) bench.instrument.hang_up = true;
    return 1e-3F;
  };
  const RecordResult result = bench.record(5);
  CHECK(result.interrupted);
  CHECK_THAT(result.end_reason, Catch::Contains("closed the connection"));
  CHECK(bench.whole().samples >= 250);
  const auto c = bench.book.captures().front();
  CHECK(c.interrupted);
  CHECK(bench.book.events(c.id).back().kind == EventKind::input_lost);
}

TEST_CASE("a garbled block ends the capture as a lost input, before any of it is taken") {
  Bench bench;
  int asked = 0;
  bench.instrument.instead = [&](const std::string& m) -> std::string {
    return m.rfind("FETC:ARR:CURR?", 0) == 0 && ++asked > 5 ? "#9garbage, not digits\n" : "";
  };
  const RecordResult result = bench.record(5);
  CHECK(result.interrupted);
  CHECK_THAT(result.end_reason, Catch::Contains("garbled"));
  CHECK(book::verify(bench.book).empty());
}

TEST_CASE("an instrument that refuses a setting is told, and nothing is recorded") {
  Bench bench;
  bench.instrument.instead = [&](const std::string& m) -> std::string {
    return m == "SYST:ERR?" ? "-222,\"Data out of range\"\n" : "";
  };
  bench.output.voltage = 99;
  CHECK_THROWS_WITH(bench.record(1),
                    Catch::Contains("refused to set the voltage") && Catch::Contains("-222"));
  CHECK(bench.book.captures().empty());
}

TEST_CASE("an instrument that will not start leaves nothing behind") {
  Bench bench;
  bool started = false;
  bench.instrument.instead = [&](const std::string& m) -> std::string {
    if (m == "INIT") started = true;
    return m == "SYST:ERR?" && started ? "-213,\"Init ignored\"\n" : "";
  };
  CHECK_THROWS_WITH(bench.record(1), Catch::Contains("refused to start logging"));
  CHECK(bench.book.captures().empty());
}

TEST_CASE("an output that answers ON is told, and left alone") {
  Bench bench;
  bench.instrument.instead = [](const std::string& m) -> std::string {
    return m == "OUTP?" ? "ON\n" : "";
  };
  bench.output.power_on = true;
  const RecordResult result = bench.record(0.0001);  // less than a sample: one is taken
  CHECK(bench.whole().samples == 1);
  REQUIRE_FALSE(result.warnings.empty());
  CHECK_THAT(result.warnings.front(), Catch::Contains("already on"));
  const auto& heard = bench.instrument.heard;
  CHECK(std::none_of(heard.begin(), heard.end(),
                     [](const std::string& m) { return m == "OUTP ON"; }));
}

TEST_CASE("a stop that is asked for ends a capture without an end") {
  Bench bench;
  std::stop_source stop;
  std::jthread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(1000));
    stop.request_stop();
  });
  const RecordResult result = bench.record(0, stop.get_token());
  CHECK(result.end_reason == "stopped");
  CHECK_FALSE(result.interrupted);
  CHECK(bench.whole().samples > 100);
}

TEST_CASE("device lines lie on the capture's axis as they arrive, sent ones among them") {
  Bench bench;
  const Console console;
  bench.settings.log = parse_endpoint("log+serial:" + console.path);
  bench.settings.sends = {{0.3, "uplink"}};
  std::jthread device([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(300));
    console.print("first\r\nhalf of ");
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
    console.print("a line\n\x01\xfe\n");
  });
  bench.record(0.9);
  const auto log = bench.book.log(1);
  REQUIRE(log.size() == 4);
  std::vector<std::string> received;
  for (const book::LogLine& line : log) {
    CHECK(line.time_s > 0.05);
    CHECK(line.time_s < 0.9);
    if (line.sent) {
      CHECK(line.text == "uplink");
      CHECK(line.time_s > 0.28);  // not before its time; how long after is up to this machine
    } else {
      received.push_back(line.text);
    }
  }
  CHECK(received == std::vector<std::string>{"first", "half of a line", "\\x01\\xFE"});
  CHECK(console.heard() == "uplink\n");
}

TEST_CASE("a log that carries the device's uptime is laid on the moment it got power") {
  Bench bench;
  const Console console;
  bench.settings.log = parse_endpoint("log+serial:" + console.path + "?stamped=uptime");
  bench.output.power_on = true;
  bench.instrument.sample = [](std::int64_t i) { return i < 20 ? 0.0F : 1e-3F; };
  std::jthread device([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    console.print("[0.000000] boot\r\n[0.250000] wake\r\n");
  });
  bench.record(0.6);
  const auto log = bench.book.log(1);
  REQUIRE(log.size() == 2);
  const double on = bench.book.output_switches(1).front().earliest_s;
  CHECK(log[0].time_s >= on);
  CHECK(log[0].time_s <= on + 0.03);
  CHECK(log[1].time_s - log[0].time_s == Approx(0.25));
}

TEST_CASE("an output that goes off by itself is marked, whoever made the instrument") {
  Bench bench;
  std::atomic<bool> on{true};
  bench.instrument.instead = [&](const std::string& m) -> std::string {
    return m == "OUTP?" ? (on ? "1\n" : "0\n") : "";
  };
  bench.instrument.sample = [&](std::int64_t i) {
    if (i > 400) on = false;
    return 1e-3F;
  };
  const RecordResult result = bench.record(1.0);
  CHECK_FALSE(result.interrupted);
  int off = 0;
  for (const auto& e : bench.book.events(1)) {
    off += e.kind == EventKind::output_off && e.text == "output off: it went off by itself" &&
           e.earliest_s > 0.2;
  }
  CHECK(off == 1);
  CHECK(std::any_of(result.warnings.begin(), result.warnings.end(), [](const std::string& w) {
    return w.find("went off by itself") != std::string::npos;
  }));
}

TEST_CASE("what the instrument had lost before the first sample came is missing, not cut away") {
  Bench bench;
  bench.instrument.oldest = 100;
  bench.record(0.5);
  const auto channel = bench.book.captures().front().channels.front();
  CHECK(channel.flagged == 100);
  CHECK(channel.samples == 400);
  CHECK(channel.from_s == 0);
  CHECK(channel.to_s == Approx(0.5));
  CHECK(bench.book.events(1).front().kind == EventKind::samples_lost);
}

TEST_CASE("an armed capture keeps its beginning when much comes in one go after a pause") {
  Bench bench;
  bench.instrument.sample = [](std::int64_t i) { return i >= 1000 && i < 1100 ? 10e-3F : 1e-6F; };
  bench.settings.arm = parse_trigger("I above 5 mA");
  bench.settings.before_s = 0.5;
  bool paused = false;
  bench.record(1.0, {}, [&](const RecordProgress& p) {
    if (!p.armed || std::exchange(paused, true)) return;
    std::this_thread::sleep_for(std::chrono::milliseconds(4000));  // of the recorder alone
  });
  CHECK(paused);
  const auto c = bench.book.captures().front();
  const book::ChannelTrace current(bench.book, c.channels.front());
  CHECK(bench.whole().samples == 1000);
  CHECK(test::first_above(current, 5e-3) == Approx(0.5));
  CHECK(measure(current, 0.5, 0.6).charge == Approx(1e-3).epsilon(1e-5));
  CHECK(bench.book.events(1).front().kind == EventKind::armed_start);
  CHECK(bench.book.events(1).front().earliest_s == Approx(0.5));
}

TEST_CASE("whatever is thrown in a recording, the output goes off and what was flushed is kept") {
  Bench bench;
  bench.output.power_on = bench.output.off_on_failure = true;
  bench.settings.slept = [&]() -> double {
    if (!bench.book.captures().empty() && bench.whole().samples > 300) throw std::bad_alloc();
    return 0;
  };
  CHECK_THROWS_AS(bench.record(30), std::bad_alloc);
  const auto& heard = bench.instrument.heard;
  REQUIRE(std::find(heard.begin(), heard.end(), "OUTP ON") != heard.end());
  CHECK(std::find(heard.begin(), heard.end(), "OUTP OFF") != heard.end());
  CHECK(bench.whole().samples > 300);
  CHECK(*bench.whole().mean() == Approx(1e-3).epsilon(1e-6));
}

TEST_CASE("what is stated of a drop in volts is stated of its current in amperes") {
  // 10 uV over 10 Ohm are 1 uA; counted as 10 uA it would hide a tenth of a sleep current.
  Bench bench;
  bench.setup.channels = {"V"};
  bench.settings.shunts = {{"V", 10}};
  bench.settings.accuracies = {{"V", "0.1 % + 10 uV"}};
  bench.record(0.3);
  const auto channel = bench.book.captures().front().channels.front();
  CHECK(channel.quantity == Quantity::current);
  CHECK(parse_accuracy(channel.accuracy, Dimension::current).offset == Approx(1e-6));
  CHECK(parse_accuracy(channel.accuracy).gain == Approx(1e-3));
}

TEST_CASE("an accuracy that was stated of the current through a shunt stays") {
  Bench bench;
  bench.setup.channels = {"V"};
  bench.settings.shunts = {{"V", 10}};
  bench.settings.accuracies = {{"V", "0.1 % + 3 uA (k=2)"}};
  bench.record(0.3);
  CHECK(bench.book.captures().front().channels.front().accuracy == "0.1 % + 3 uA (k=2)");
}

TEST_CASE("an accuracy in the unit of something else counts as not stated, and that is said") {
  Bench bench;
  bench.settings.accuracies = {{"I", "0.1 % + 10 uV"}};
  const RecordResult result = bench.record(0.3);
  CHECK(bench.book.captures().front().channels.front().accuracy.empty());
  REQUIRE_FALSE(result.warnings.empty());
  CHECK_THAT(result.warnings.front(), Catch::Contains("10 uV") && Catch::Contains("not stated"));
}
