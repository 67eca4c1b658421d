// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/channel_change.h"
#include "study_book.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio;

TEST_CASE("the step of whatever digitised a channel is told where its values show one") {
  test::StudyBook at;
  const auto step_of = [&](auto value_of) {
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 1000};
    channel.encoding = book::Encoding::f8;
    book::CaptureWriter writer(at.book, {"c", "", {}, false}, {channel});
    std::vector<double> values;
    for (int i = 0; i < 5000; ++i) values.push_back(value_of(i));
    writer.append(0, 0, 1, values);
    writer.finish("complete", false);
    return study::channel_figures(at.book, at.book.capture(writer.id()), "I").count;
  };
  constexpr double kStep = 0.1 / 4096;
  const auto counts = [&](int i) { return std::round(200 + 150 * std::sin(i * 0.37)) * kStep; };
  REQUIRE(step_of(counts).has_value());
  CHECK(*step_of(counts) == Approx(kStep));
  CHECK_FALSE(step_of([](int i) { return 1e-3 * (1 + std::sin(i * 0.37)); }).has_value());
  // Two levels are apart by what they are, not by a step.
  CHECK_FALSE(step_of([](int i) { return i % 10 < 7 ? 2.5e-3 : 41.7e-3; }).has_value());
}
