// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recording_report.h"

#include "acquire/fake_input.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;

TEST_CASE("what is watched is calibrated like what will be read") {
  LiveChannel live;
  live.quantity = Quantity::voltage;
  live.unit = "V";
  live.last = 2e-3;
  live.min = -1e-3;
  live.max = 5e-3;
  live.sum = 6e-3;  // V s, over 3 s
  live.observed_s = 3;
  book::ChannelInfo channel;
  channel.quantity = Quantity::current;
  channel.unit = "A";
  channel.calibration = {-10, 1e-3, "shunt of 0.1 Ohm, the other way"};
  const LiveChannel out = calibrated(live, channel);
  CHECK(out.unit == "A");
  CHECK(out.quantity == Quantity::current);
  CHECK(out.last == Approx(-19e-3));
  CHECK(out.min == Approx(-49e-3));
  CHECK(out.max == Approx(11e-3));
  CHECK(out.sum == Approx(-10 * 6e-3 + 1e-3 * 3));

  channel.calibration = {};  // a shunt of 1 Ohm changes no number, but what it is
  CHECK(calibrated(live, channel).unit == "A");
  live.quantity = Quantity::logic;
  CHECK(calibrated(live, channel).last == live.last);
}

TEST_CASE("trouble that comes again and again is said once, other trouble each time") {
  RecordingReport report;
  report.event({EventKind::input_silent, 0, 0, "supply", ""}, 1, 2);
  report.event({EventKind::input_silent, 0, 0, "supply", ""}, 3, 4);
  report.event({EventKind::input_silent, 0, 0, "meter", ""}, 5, 6);
  report.event({EventKind::output_tripped, 0, 0, "output B", ""}, 7, 7);
  report.event({EventKind::output_tripped, 0, 0, "", ""}, 8, 8);
  report.event({EventKind::line_high, 0, 0, "line wake", ""}, 9, 9);
  const auto& said = report.result.warnings;
  REQUIRE(said.size() == 4);
  CHECK_THAT(said[2], Catch::Contains("output B switched itself off"));
  CHECK_THAT(said[3], Catch::Contains("the output switched itself off"));
}

TEST_CASE("progress hands over what is new once, and the warnings stay in the result") {
  std::vector<RecordProgress> heard;
  RecordingReport report([&](const RecordProgress& p) { heard.push_back(p); });
  Tracks tracks;
  std::vector<book::ChannelInfo> channels;
  tracks.push_back(std::make_unique<InputTrack>(std::make_unique<test::FakeInput>(1e-3), true, 1));
  tracks[0]->add_channels(channels, "");
  report.warn("something");
  report.line({0.5, false, "hello"});
  report.text({0.6, false, "from the samples"});
  report.send(tracks, channels, {false, 3, 1000, "", 1});
  report.send(tracks, channels, {false, 3, 900, "meter hung up", 1});
  REQUIRE(heard.size() == 2);
  CHECK(heard[0].messages == std::vector<std::string>{"something"});
  CHECK(heard[0].lines.size() == 2);
  CHECK(heard[0].log_lines == 4);
  CHECK(heard[0].channels.size() == 1);
  CHECK(heard[0].bytes_per_s == Approx(4200));  // 1 kHz of 4 bytes and their pyramid
  CHECK(heard[1].messages.empty());
  CHECK(heard[1].lines.empty());
  CHECK(heard[1].away == "meter hung up");
  CHECK(heard[1].disk_free == 900);
  CHECK(report.result.warnings.size() == 1);
  report.warn("the end");
  report.forget_messages();
  report.send(tracks, channels, {true, 0, {}, "", 1});
  CHECK(heard[2].messages.empty());
  CHECK(heard[2].armed);
}
