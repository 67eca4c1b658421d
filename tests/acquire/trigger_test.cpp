// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/trigger.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <functional>

using namespace kuvio::acquire;

namespace {

/// When a trigger happens on a channel sampled at 1 kHz for `seconds`.
std::optional<double> when(const std::string& text, const std::function<double(double)>& value,
                           double seconds = 10) {
  TriggerWatch watch(parse_trigger(text));
  for (int i = 0; i < seconds * 1000; ++i) watch.sample(i * 1e-3, value(i * 1e-3));
  return watch.happened_at();
}

}  // namespace

TEST_CASE("a level must be passed, one that is there from the beginning is no event") {
  const auto step = [](double t) { return t < 3 ? 1e-3 : 20e-3; };
  CHECK(*when("I above 5 mA", step) == Approx(3));
  CHECK_FALSE(when("I below 5 mA", step));  // it was below from the start
  CHECK_FALSE(when("I above 0.5 mA", step));
  CHECK(*when("I below 5 mA", [](double t) { return t < 3 ? 20e-3 : 1e-3; }) == Approx(3));
}

TEST_CASE("a level that is to hold begins anew with every sample beyond it") {
  const auto bursts = [](double t) { return t < 6 && std::fmod(t, 2) < 0.01 ? 1.0 : 1e-6; };
  CHECK(*when("I below 1 mA for 2.5 s", bursts) == Approx(4.01 + 2.5).margin(0.003));
  CHECK_FALSE(when("I below 1 mA for 9 s", bursts));
  // From the beginning on it counts: that was asked for.
  CHECK(*when("I below 1 mA for 1 s", [](double) { return 0.0; }) == Approx(1).margin(0.002));
}

TEST_CASE("edges of a line, by their direction") {
  const auto line = [](double t) { return t >= 2 && t < 5 ? 1.0 : 0.0; };
  CHECK(*when("radio_on rising", line) == Approx(2));
  CHECK(*when("radio_on falling", line) == Approx(5));
  CHECK_FALSE(when("radio_on rising", [](double) { return 1.0; }));
}

TEST_CASE("a current that settles, whatever it does before") {
  const auto settling = [](double t) {
    return t < 4 ? (std::fmod(t, 0.5) < 0.25 ? 2.0 : 1.0) * (5 - t) : 0.5;
  };
  const auto at = when("I steady within 2 % for 2 s", settling);
  REQUIRE(at);
  CHECK(*at > 5.5);
  CHECK(*at < 6.5);
  CHECK_FALSE(when("I steady within 1 mA for 2 s", [](double t) { return t; }));
}

TEST_CASE("a line of the device, by a regular expression, once") {
  TriggerWatch watch(parse_trigger("log: ^boot .*1\\.[0-9]"));
  CHECK_FALSE(watch.line(1, "not boot 1.2"));
  CHECK_FALSE(watch.happened_at());
  CHECK(watch.line(2, "boot satchel 1.2"));
  CHECK(watch.line(3, "boot satchel 1.2"));
  CHECK(*watch.happened_at() == 2);
  CHECK_FALSE(watch.of_level());
  CHECK_FALSE(watch.of_edge());
}

TEST_CASE("what was forced has happened") {
  TriggerWatch watch(parse_trigger("I above 5 A"));
  watch.force(1.5);
  CHECK(watch.sample(2, 0));
  CHECK(*watch.happened_at() == 1.5);
}
