// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/input_track.h"

#include "acquire/fake_input.h"

#include <catch2/catch.hpp>

#include <limits>

using namespace kuvio;
using namespace kuvio::acquire;

TEST_CASE("whole rates have exact time bases") {
  CHECK(time_base_for(1.0 / 48000).first == TimeBase{1, 48000});
  CHECK(time_base_for(1.0 / 48000).second == 1);
  CHECK(time_base_for(0.3).second == 300'000'000);
}

namespace {

/// One input that is the axis, and what was seen of it.
struct Axis {
  std::vector<book::ChannelInfo> channels;
  test::FakeInput* input;
  std::unique_ptr<InputTrack> track;

  explicit Axis(double interval_s) {
    auto made = std::make_unique<test::FakeInput>(interval_s);
    input = made.get();
    track = std::make_unique<InputTrack>(std::move(made), true, 1);
    track->add_channels(channels, "1 %");
  }
};

}  // namespace

TEST_CASE("channels of equal names get names of their own, and the first current the accuracy") {
  std::vector<book::ChannelInfo> all;
  InputTrack a(std::make_unique<test::FakeInput>(1e-3), true, 1);
  InputTrack b(
      std::make_unique<test::FakeInput>(1e-3, std::vector{test::channel("V", Quantity::voltage),
                                                          test::channel("I", Quantity::current),
                                                          test::channel("I", Quantity::current)}),
      false, 1);
  a.add_channels(all, "1 %");
  b.add_channels(all, "2 %");
  REQUIRE(all.size() == 4);
  CHECK(all[0].name == "I");
  CHECK(all[1].name == "V");
  CHECK(all[2].name == "I2");
  CHECK(all[3].name == "I3");
  CHECK(all[0].accuracy == "1 %");
  CHECK(all[1].accuracy.empty());
  CHECK(all[2].accuracy == "2 %");
  CHECK(all[3].accuracy.empty());
}

TEST_CASE("lengths are whole samples, at least one, and no end is none") {
  const Axis axis(1e-3);
  CHECK(axis.track->whole_samples_s(0.0123) == Approx(0.012));
  CHECK(axis.track->whole_samples_s(1e-9) == Approx(1e-3));
  const double never = std::numeric_limits<double>::infinity();
  CHECK(axis.track->whole_samples_s(never) == never);
  CHECK(axis.track->step_s() == Approx(1e-3));
  CHECK(Axis(0).track->step_s() == 0);  // times of their own
}

TEST_CASE("what is held begins where it is released, to the sample") {
  Axis axis(0.01);
  for (int i = 0; i < 5; ++i) axis.input->give(100 * i, {std::vector<double>(100, i)});
  int packets = 0;
  axis.track->hold([&](const Packet&) { ++packets; });
  CHECK(packets == 5);
  CHECK(axis.track->held_s() == Approx(4.99));
  axis.track->forget_before(2.5);
  CHECK(axis.track->held_s() == Approx(2.99));  // the packet that reaches over 2.5 s stays
  axis.track->release(3.333);
  CHECK(axis.track->origin_own_s() == Approx(3.34));
  CHECK(axis.track->held_s() == Approx(4.99 - 3.34));
}
