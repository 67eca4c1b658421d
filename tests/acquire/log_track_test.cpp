// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/log_track.h"

#include "acquire/console.h"
#include "acquire/host_clock.h"
#include "book/book.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

/// A device on a pseudo-terminal, whose lines go into a capture. The axis is this computer's time
/// from the beginning on.
struct Track {
  test::Folder folder;
  test::Console device;
  book::Book book = book::Book::open(folder / "a.kuvio", book::Book::Mode::create);
  book::ChannelInfo channel;
  book::CaptureWriter writer{book, {"a", "1", {}, false}, {current()}};
  LogTrack track;
  double began_s = host_now_s();
  std::vector<book::LogLine> placed;

  explicit Track(const std::string& options = "&stamped=1")
      : track(parse_endpoint("log+serial:" + device.path + "?baud=115200" + options)) {
    track.write_to(writer);
    track.axis_of_host = [this](double host_s) { return host_s - began_s; };
    track.placed = [this](const book::LogLine& line) { placed.push_back(line); };
  }
  static book::ChannelInfo current() {
    book::ChannelInfo out;
    out.name = "I";
    out.quantity = Quantity::current;
    out.unit = "A";
    return out;
  }
  /// Waits until so many lines have been placed or a second has gone.
  void drain(std::size_t lines) {
    for (int i = 0; i < 100 && placed.size() < lines; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
      track.drain(1e9);
    }
  }
};

}  // namespace

TEST_CASE("lines without a stamp stand where they arrived") {
  Track t("");
  t.device.print("hello\n");
  t.drain(1);
  REQUIRE(t.placed.size() == 1);
  CHECK(t.placed[0].text == "hello");
  CHECK(t.placed[0].time_s >= -0.01);  // its first byte began to come a little before
  CHECK(t.placed[0].time_s <= host_now_s() - t.began_s);
  CHECK(t.track.lines() == 1);
}

TEST_CASE("a device that was running is aligned to what waited least of its first lines") {
  Track t;
  // Two lines that lay in a buffer come with one that was just printed: by the last one's arrival
  // they were printed one and two seconds ago, not now.
  t.device.print("[98.0] a\n[99.0] b\n[100.0] c\n");
  std::this_thread::sleep_for(std::chrono::milliseconds(300));
  t.track.drain(1e9);
  REQUIRE(t.placed.size() == 3);
  const double now = t.placed[2].time_s;
  CHECK(t.placed[0].time_s == Approx(now - 2));
  CHECK(t.placed[1].time_s == Approx(now - 1));
  CHECK(now >= -0.01);
  CHECK(now < 0.5);
  REQUIRE(t.track.take_notes().size() == 1);
  // The alignment stays: a later line stands by its own clock.
  t.device.print("[103.5] d\n");
  t.drain(4);
  REQUIRE(t.placed.size() == 4);
  CHECK(t.placed[3].time_s == Approx(now + 3.5));
  CHECK(t.track.take_notes().empty());
}

TEST_CASE("with power to come lines are held, and laid from the first rise of the current") {
  Track t;
  t.track.set_expects_power(true);
  t.device.print("[0.25] boot\n");
  std::this_thread::sleep_for(std::chrono::milliseconds(200));
  t.track.drain(1e9);
  CHECK(t.placed.empty());
  // Switched on between 5 and 5.2 s; the current rises at 5.1 s: that is uptime 0.
  t.track.power_came(5, 5.2);
  std::vector<double> values(300, 0.0);
  for (std::size_t i = 110; i < values.size(); ++i) values[i] = 1e-3;
  t.track.watch_current(5 - 0.01, 1e-3, values);
  REQUIRE(t.placed.size() == 1);
  CHECK(t.placed[0].time_s == Approx(5.1 + 0.25).margin(1e-3));
}

TEST_CASE("a current that never rises leaves the latest moment of the switch") {
  Track t;
  t.track.set_expects_power(true);
  t.device.print("[0.5] boot\n");
  std::this_thread::sleep_for(std::chrono::milliseconds(200));
  t.track.drain(1e9);
  t.track.power_came(2, 2.1);
  t.track.watch_current(2, 1e-2, std::vector<double>(50, 0.0));
  REQUIRE(t.placed.size() == 1);
  CHECK(t.placed[0].time_s == Approx(2.6));
}

TEST_CASE("what is to be sent goes out in order, once its time has come") {
  Track t("");
  t.track.schedule({{2, "second"}, {1, "first"}, {9, "never"}});
  t.track.send_due(0.5);
  t.track.send_due(2.5);
  std::string heard;
  for (int i = 0; i < 100 && heard.find("second") == std::string::npos; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
    heard += t.device.heard();
  }
  CHECK(heard.find("first") < heard.find("second"));
  CHECK(heard.find("never") == std::string::npos);
}
