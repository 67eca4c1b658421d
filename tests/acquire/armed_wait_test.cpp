// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/armed_wait.h"

#include "acquire/fake_input.h"
#include "core/error.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;
using test::channel;
using test::FakeInput;

namespace {

/// Tracks over inputs in memory, their channels as a capture has them.
struct Desk {
  std::vector<FakeInput*> inputs;
  Tracks tracks;
  std::vector<book::ChannelInfo> channels;

  FakeInput& add(double interval_s, std::vector<InputChannel> of = {{}}) {
    auto input = std::make_unique<FakeInput>(interval_s, std::move(of));
    inputs.push_back(input.get());
    tracks.push_back(std::make_unique<InputTrack>(std::move(input), tracks.empty(), 1));
    tracks.back()->set_epoch(0);
    tracks.back()->add_channels(channels, "");
    return *inputs.back();
  }
};

std::vector<double> ramp(double from, double step, int n) {
  std::vector<double> out;
  for (int i = 0; i < n; ++i) out.push_back(from + step * i);
  return out;
}

DeviceLine line(double arrived_s, const std::string& text) {
  DeviceLine out;
  out.arrived_s = arrived_s;
  out.text = text;
  return out;
}

}  // namespace

TEST_CASE("a trigger finds its channel by name, the first current, or the line of a word") {
  Desk d;
  d.add(1e-3, {channel("V", Quantity::voltage), channel("I", Quantity::current)});
  d.add(1e-3, {channel("I", Quantity::current), channel("D", Quantity::logic, {"radio", "wake"})});
  REQUIRE(d.channels.size() == 5);  // V, I, I2, radio, wake
  const auto track = [&](const char* text) {
    PlacedTrigger t(parse_trigger(text));
    t.place(d.tracks, d.channels, true);
    return t.track();
  };
  CHECK(track("I above 1 A") == d.tracks[0].get());
  CHECK(track("I2 above 1 A") == d.tracks[1].get());
  CHECK(track("wake rising") == d.tracks[1].get());
  CHECK(track("log: boot") == nullptr);
  CHECK_THROWS_WITH(track("X above 1 A"), Catch::Contains("no channel of that name"));
  CHECK_THROWS_WITH(track("I rising"), Catch::Contains("no logic line of that name"));
  CHECK_THROWS_AS(track("wake above 1 A"), Error);
  PlacedTrigger deaf(parse_trigger("log: boot"));
  CHECK_THROWS_WITH(deaf.place(d.tracks, d.channels, false), Catch::Contains("no device log"));
}

TEST_CASE("a trigger sees calibrated values and steps over what is no data") {
  Desk d;
  FakeInput& input = d.add(1e-3, {channel("U", Quantity::voltage)});
  d.channels[0].quantity = Quantity::current;  // over a shunt of 0.1 Ohm
  d.channels[0].calibration = {10, -1e-3, "shunt"};
  PlacedTrigger t(parse_trigger("U above 50 mA"));
  t.place(d.tracks, d.channels, false);
  input.give(0, {{0.0, 9.9e37, 9.91e37, 5.0e-3, 5.09e-3, 5.11e-3, 6e-3}});
  d.tracks[0]->hold([&](const Packet& p) { t.look(*d.tracks[0], p, *d.tracks[0]); });
  REQUIRE(t.happened_at());
  CHECK(*t.happened_at() == Approx(5e-3));
}

TEST_CASE("a word of lines is an edge of the one that is meant") {
  Desk d;
  FakeInput& input = d.add(1e-3, {channel("D", Quantity::logic, {"a", "b"})});
  PlacedTrigger t(parse_trigger("b rising"));
  t.place(d.tracks, d.channels, false);
  input.give(0, {{0, 1, 0, 1, 9.91e37, 3, 1, 2}});
  d.tracks[0]->hold([&](const Packet& p) { t.look(*d.tracks[0], p, *d.tracks[0]); });
  CHECK(*t.happened_at() == Approx(5e-3));
}

TEST_CASE("an armed capture begins so much before what it waited for") {
  Desk d;
  FakeInput& input = d.add(1e-3);
  ArmedWait wait(parse_trigger("I above 5 mA"), 0.5);
  wait.trigger().place(d.tracks, d.channels, false);
  for (int block = 0; block < 4; ++block) {
    input.give(1000 * block, {ramp(0, 0, 1000)});
    wait.look(d.tracks);
    wait.forget(d.tracks);
    CHECK_FALSE(wait.happened_at());
  }
  input.give(4000, {ramp(0, 1e-5, 1000)});  // 5 mA is passed at 4.501 s
  wait.look(d.tracks);
  REQUIRE(wait.happened_at());
  CHECK(*wait.happened_at() == Approx(4.501).margin(1e-3));
  const double at = wait.release(d.tracks);
  CHECK(at == Approx(0.5));
  CHECK(d.tracks[0]->origin_own_s() == Approx(*wait.happened_at() - 0.5));
}

TEST_CASE("what is armed for at the very beginning has less before it") {
  Desk d;
  FakeInput& input = d.add(1e-3);
  ArmedWait wait(parse_trigger("I above 5 mA"), 2);
  wait.trigger().place(d.tracks, d.channels, false);
  input.give(0, {ramp(0, 1e-4, 100)});
  wait.look(d.tracks);
  CHECK(wait.release(d.tracks) == Approx(*wait.happened_at()));
  CHECK(d.tracks[0]->origin_own_s() == 0);
}

TEST_CASE("a second input begins at the same moment by its own clock") {
  Desk d;
  FakeInput &axis = d.add(1e-3), &other = d.add(1e-2);
  // The other's clock began 2 s later and runs 100 ppm fast.
  for (double t = 0; t <= 60; t += 10) {
    axis.tie(t, t);
    if (t > 2) other.tie((t - 2) * 1.0001, t);
  }
  ArmedWait wait(parse_trigger("I above 5 mA"), 1);
  wait.trigger().place(d.tracks, d.channels, false);
  std::vector<double> values(60'000, 0.0);
  values[50'000] = 0.01;
  axis.give(0, {values});
  other.give(0, {std::vector<double>(5'800, 0.0)});
  wait.look(d.tracks);
  CHECK(wait.release(d.tracks) == Approx(1));
  CHECK(d.tracks[1]->origin_own_s() == Approx(47 * 1.0001).margin(0.011));
}

TEST_CASE(
    "while armed only as much is kept as the capture may need, and a silent input costs none") {
  Desk d;
  FakeInput &axis = d.add(0.1), &other = d.add(0.1);
  axis.tie(0, 0);
  other.tie(0, 0);
  axis.tie(1000, 1000);
  other.tie(1000, 1000);
  ArmedWait wait(parse_trigger("I above 5 A"), 3);
  wait.trigger().place(d.tracks, d.channels, false);
  for (int s = 0; s < 300; ++s) {
    axis.give(10 * s, {ramp(0, 0, 10)});
    if (s < 100) other.give(10 * s, {ramp(0, 0, 10)});
    wait.look(d.tracks);
    wait.forget(d.tracks);
  }
  // 3 s before, one to spare, and the packet that reaches over.
  CHECK(d.tracks[0]->held_s() <= 5.1);
  CHECK(d.tracks[0]->held_s() >= 4);
  CHECK(d.tracks[0]->held_to_s() == Approx(299.9));
  CHECK(d.tracks[1]->held_to_s() == Approx(99.9));
}

TEST_CASE("lines wait too: what was said meanwhile is kept, what was sent begins nothing") {
  Desk d;
  d.add(1e-3);
  ArmedWait wait(parse_trigger("log: ^boot"), 0);
  wait.trigger().place(d.tracks, d.channels, true);
  const auto on_axis = [](double host_s) { return host_s - 100; };
  DeviceLine sent = line(101, "boot now");
  sent.sent = true;
  wait.look({line(100.5, "idle"), sent}, on_axis);
  CHECK_FALSE(wait.happened_at());
  wait.look({line(102, "booted"), line(103, "boot again")}, on_axis);
  CHECK(*wait.happened_at() == Approx(2));
  CHECK(wait.lines().size() == 4);
  wait.look(std::vector<DeviceLine>(ArmedWait::kLines + 5, line(104, "x")), on_axis);
  CHECK(wait.lines().size() == ArmedWait::kLines);
}
