// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/channel_set_up.h"

#include "acquire/recorder.h"
#include "book/book.h"
#include "core/accuracy.h"
#include "core/error.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using acquire::RecordSettings;
using acquire::set_up;

namespace {

book::ChannelInfo channel(const std::string& name, Quantity quantity, const std::string& unit) {
  book::ChannelInfo out;
  out.name = name;
  out.quantity = quantity;
  out.unit = unit;
  return out;
}

struct Tried {
  std::vector<book::ChannelInfo> channels;
  std::vector<std::string> warnings;
};

Tried tried(std::vector<book::ChannelInfo> channels, const RecordSettings& settings) {
  Tried out{std::move(channels), {}};
  set_up(out.channels, settings, [&](const std::string& text) { out.warnings.push_back(text); });
  return out;
}

}  // namespace

TEST_CASE("a drop that was calibrated becomes a current with its zero in amperes") {
  RecordSettings settings;
  settings.calibration["V"] = {1.02, 5e-6, "span at rest"};
  settings.shunts["V"] = 0.1;
  const auto out = tried({channel("V", Quantity::voltage, "V")}, settings);
  const book::ChannelInfo& c = out.channels.front();
  CHECK(c.quantity == Quantity::current);
  CHECK(c.unit == "A");
  // 1 mV: (1.02 mV + 5 uV) over 0.1 Ohm.
  CHECK(c.calibration.gain * 1e-3 + c.calibration.offset == Approx(10.25e-3));
  CHECK(c.calibration.text == "span at rest");
  CHECK(out.warnings.empty());
}

TEST_CASE("of what is a current already a shunt changes nothing") {
  RecordSettings settings;
  settings.shunts["I"] = 0.1;
  settings.accuracies["I"] = "0.1 % + 1 uA";
  const auto out = tried({channel("I", Quantity::current, "A")}, settings);
  CHECK(out.channels.front().calibration.gain == 1);
  CHECK(out.channels.front().accuracy == "0.1 % + 1 uA");
  CHECK(out.warnings.empty());
}

TEST_CASE("a shunt's accuracy is the drop's over its resistance, gain and coverage as they are") {
  for (const double ohms : {0.1, 1.0, 10.0}) {
    RecordSettings settings;
    settings.shunts["V"] = ohms;
    settings.accuracies["V"] = "0.2 % + 10 uV";
    const auto out = tried({channel("V", Quantity::voltage, "V")}, settings);
    const Accuracy a = parse_accuracy(out.channels.front().accuracy, Dimension::current);
    CHECK(a.gain == Approx(2e-3));
    CHECK(a.offset == Approx(10e-6 / ohms));
  }
}

TEST_CASE("an accuracy of something else is no accuracy, on each channel for itself") {
  RecordSettings settings;
  settings.accuracies = {{"I", "0.1 % + 10 uV"}, {"V", "0.1 % + 10 uV"}};
  const auto out =
      tried({channel("I", Quantity::current, "A"), channel("V", Quantity::voltage, "V")}, settings);
  CHECK(out.channels[0].accuracy.empty());
  CHECK(out.channels[1].accuracy == "0.1 % + 10 uV");
  REQUIRE(out.warnings.size() == 1);
  CHECK_THAT(out.warnings.front(), Catch::StartsWith("I: ") && Catch::Contains("not stated"));
}

TEST_CASE("a shunt for a channel that is not there is refused by its name") {
  RecordSettings settings;
  settings.shunts["VX"] = 1;
  std::vector<book::ChannelInfo> channels{channel("V", Quantity::voltage, "V")};
  try {
    set_up(channels, settings, {});
    FAIL("it was taken");
  } catch (const Error& e) {
    CHECK(e.failure() == Failure::usage);
    CHECK_THAT(e.what(), Catch::Contains("VX"));
  }
}
