// SPDX-License-Identifier: GPL-3.0-or-later
// What may be asked of a recording, and inputs by themselves: lines, streams, watching, zeroing.

#include "acquire/fake_input.h"
#include "acquire/input.h"
#include "acquire/input_monitor.h"
#include "acquire/lines_input.h"
#include "acquire/placed_trigger.h"
#include "acquire/record_control.h"
#include "acquire/stream_input.h"
#include "acquire/zero.h"
#include "core/error.h"
#include "core/special_value.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>

#include <atomic>
#include <chrono>
#include <functional>
#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

bool comes_true(const std::function<bool()>& done) {
  for (int i = 0; i < 1000 && !done(); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  return done();
}

/// A pipe that is written to as it is asked for, as a logger would.
struct Pipe {
  test::Folder folder;
  std::string path = folder / "pipe";
  std::atomic<bool> stop{false};
  std::thread writer;

  /// `line`: what comes as the n-th, every 5 ms.
  explicit Pipe(std::function<std::string(int)> line) {
    REQUIRE(::mkfifo(path.c_str(), 0600) == 0);
    writer = std::thread([this, line = std::move(line)] {
      const int fd = ::open(path.c_str(), O_RDWR | O_NONBLOCK);
      for (int n = 0; !stop; ++n) {
        const std::string text = line(n) + "\n";
        [[maybe_unused]] const auto written = ::write(fd, text.data(), text.size());
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
      }
      ::close(fd);
    });
  }
  ~Pipe() {
    stop = true;
    writer.join();
  }
  Endpoint endpoint() const { return parse_endpoint("lines:" + path); }
};

std::string refused(const std::function<void()>& what) {
  try {
    what();
  } catch (const Error& e) {
    return e.what();
  }
  return "";
}

}  // namespace

TEST_CASE("what is asked of a recording is taken once, in order, from whatever thread it came") {
  RecordControl control;
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([&control, t] {
      for (int i = 0; i < 250; ++i) control.send(fmt::format("{} {}", t, i));
    });
  std::vector<std::string> all;
  while (all.size() < 1000) {
    for (std::string& line : control.take_lines()) all.push_back(std::move(line));
  }
  for (std::thread& t : threads) t.join();
  REQUIRE(all.size() == 1000);
  int next[4] = {};
  for (const std::string& line : all) {
    const int t = line[0] - '0';
    CHECK(std::stoi(line.substr(2)) == next[t]++);
  }
  CHECK(control.take_lines().empty());
  control.mark("lid opened");
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  control.mark("lid closed");
  const auto marks = control.take_marks();
  REQUIRE(marks.size() == 2);
  CHECK(marks[1].host_s - marks[0].host_s >= 0.02);  // when it was asked for, not when taken
  CHECK(control.take_marks().empty());
  CHECK_FALSE(control.take_begin());
  control.begin_now();
  CHECK(control.take_begin());
  CHECK_FALSE(control.take_begin());
}

TEST_CASE("a trigger is placed on what it names, or refused with what is missing") {
  std::vector<book::ChannelInfo> channels;
  Tracks tracks;
  tracks.push_back(std::make_unique<InputTrack>(
      std::make_unique<test::FakeInput>(1e-3, std::vector{test::channel("V", Quantity::voltage),
                                                          test::channel("I", Quantity::current)}),
      true, 1));
  tracks.front()->add_channels(channels, "");
  const auto place = [&](const char* text, bool has_log = false) {
    PlacedTrigger trigger(parse_trigger(text));
    trigger.place(tracks, channels, has_log);
    return trigger.track();
  };
  CHECK(place("above 5 mA") == tracks.front().get());
  CHECK(place("V below 3 V") == tracks.front().get());
  CHECK_THAT(refused([&] { place("I2 above 5 mA"); }), Catch::Contains("no channel of that name"));
  CHECK_THAT(refused([&] { place("I rising"); }), Catch::Contains("no logic line"));
  CHECK_THAT(refused([&] { place("log: boot"); }), Catch::Contains("no device log"));
  CHECK(place("log: boot", true) == nullptr);
}

TEST_CASE("an input that is watched says what it reads, over range in words and not as amperes") {
  std::atomic<bool> over{false};
  Pipe pipe([&](int) { return over ? "OL" : "7.0 mA"; });
  InputMonitor monitor(pipe.endpoint(), {});
  REQUIRE(comes_true([&] {
    const auto s = monitor.state();
    return s.phase == LinkPhase::ready && !s.readings.empty() && s.readings.back().current;
  }));
  CHECK(*monitor.state().readings.back().current == Approx(7e-3));
  CHECK(monitor.state().channels.front().last == Approx(7e-3));
  CHECK_FALSE(monitor.state().readings.back().voltage);  // there is no such channel
  over = true;
  REQUIRE(comes_true([&] { return monitor.state().channels.front().out_of_range.has_value(); }));
  REQUIRE(comes_true([&] { return !monitor.state().readings.back().current; }));
  CHECK(monitor.state().channels.front().last == Approx(7e-3));  // the last that was one
  over = false;
  REQUIRE(comes_true([&] { return monitor.state().readings.back().current.has_value(); }));
  CHECK(*monitor.state().readings.back().current == Approx(7e-3));
}

TEST_CASE("an input that is not there is lost, with the reason, and no wait for who asks") {
  InputMonitor monitor(parse_endpoint("lines+tcp://127.0.0.1:1"), {});
  REQUIRE(comes_true([&] { return monitor.state().phase == LinkPhase::lost; }));
  CHECK_FALSE(monitor.state().trouble.empty());
  CHECK(monitor.state().readings.empty());
}

TEST_CASE("lines say what their columns are, and what is no reading is told") {
  Pipe pipe([](int n) {
    return n % 50 == 20 ? std::string("range changed") : fmt::format("{} uA, 3.6 V", 10 + n % 2);
  });
  LinesInput input(pipe.endpoint(), {});
  REQUIRE(input.channels().size() == 2);
  CHECK(input.channels()[0].quantity == Quantity::current);
  CHECK(input.channels()[1].quantity == Quantity::voltage);
  CHECK(input.interval_s() == 0);  // each stands where it came
  input.start();
  std::vector<double> current, voltage;
  REQUIRE(comes_true([&] {
    while (const auto packet = input.ring().pop()) {
      current.insert(current.end(), packet->columns[0].begin(), packet->columns[0].end());
      voltage.insert(voltage.end(), packet->columns[1].begin(), packet->columns[1].end());
    }
    return current.size() > 100;
  }));
  input.stop();
  CHECK_FALSE(input.failure());
  for (const double v : current) CHECK((v == Approx(10e-6) || v == Approx(11e-6)));
  for (const double v : voltage) CHECK(v == Approx(3.6));
  CHECK_FALSE(input.take_texts().empty());
}

TEST_CASE("a stream that never says what it is, is refused in time") {
  Pipe pipe([](int) { return "this is no stream"; });
  const auto before = std::chrono::steady_clock::now();
  const std::string why =
      refused([&] { StreamInput input(parse_endpoint("stream:" + pipe.path), {}); });
  CHECK_FALSE(why.empty());
  CHECK(std::chrono::steady_clock::now() - before < std::chrono::seconds(9));
}

TEST_CASE("a zero is the mean of what reads, with its uncertainty; what flows is none") {
  // An offset of 120 nA with a triangle of ± 20 nA: mean known by arithmetic.
  Pipe quiet([](int n) { return fmt::format("{} nA", 120 + (n % 5 - 2) * 10); });
  InputConfig config;
  config.endpoint = quiet.endpoint();
  const auto zero = measure_zero(config, 1.5, "0.1 % + 100 nA");
  REQUIRE(zero.size() == 1);
  CHECK(zero[0].mean == Approx(120e-9).margin(2e-9));
  CHECK(zero[0].expanded > 0);
  CHECK(std::fabs(zero[0].mean - 120e-9) < 3 * zero[0].expanded + 1e-9);
  CHECK(zero[0].calibration().offset == Approx(-zero[0].mean));
  CHECK_THAT(zero[0].accuracy, Catch::Contains("%"));
  // Five times the stated offset is no offset.
  CHECK_THAT(refused([&] { measure_zero(config, 1.0, "0.1 % + 10 nA"); }),
             Catch::Contains("still flows"));
  Pipe over([](int) { return "OL"; });
  config.endpoint = over.endpoint();
  CHECK_THAT(refused([&] { measure_zero(config, 0.5, ""); }), !Catch::Equals(""));
}
