// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/lane_plan.h"

#include "book/book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;

namespace {

std::vector<book::ChannelInfo> channels() {
  std::vector<book::ChannelInfo> out;
  for (const auto& [name, quantity] :
       {std::pair{"radio", Quantity::logic}, std::pair{"V", Quantity::voltage},
        std::pair{"I", Quantity::current}, std::pair{"I2", Quantity::current}}) {
    book::ChannelInfo c;
    c.name = name;
    c.quantity = quantity;
    c.samples = 10;
    out.push_back(c);
  }
  return out;
}

QStringList names(const LanePlan& plan) {
  QStringList out;
  for (const LaneSpec& lane : plan.lanes) {
    QStringList curves;
    for (const LaneCurve& c : lane.curves) curves << curve_name(c);
    out << curves.join(QLatin1Char('+'));
  }
  return out;
}

}  // namespace

TEST_CASE("lanes lie with currents first, then voltages, logic last, and each once") {
  LanePlan plan;
  plan.add_missing(channels());
  CHECK(names(plan) == QStringList{"I", "I2", "V", "radio"});
  plan.add_missing(channels());
  CHECK(plan.lanes.size() == 4);
  plan.lanes[1].shown = false;
  CHECK(plan.visible(channels()) == std::vector<std::size_t>{0, 2, 3});
  // Of a book without them, lanes are remembered and left out.
  CHECK(plan.visible({channels()[2]}) == std::vector<std::size_t>{0});
  CHECK(plan.lane_of("V") == 2);
  CHECK(plan.lane_of("none") == LanePlan::npos);
}

TEST_CASE("lanes are moved, laid over each other and taken apart again") {
  LanePlan plan;
  plan.add_missing(channels());
  plan.move(2, 0);
  CHECK(names(plan) == QStringList{"V", "I", "I2", "radio"});
  plan.overlay(2, 1);
  CHECK(names(plan) == QStringList{"V", "I+I2", "radio"});
  plan.separate(1);
  CHECK(names(plan) == QStringList{"V", "I", "I2", "radio"});
  plan.derive(1, CurveForm::charge, 0);
  plan.derive(1, CurveForm::mean, 0.1);
  CHECK(plan.lanes.size() == 6);
  CHECK(names(plan).contains(QStringLiteral("charge of I")));
  const auto it = names(plan).indexOf(QStringLiteral("charge of I"));
  plan.remove(static_cast<std::size_t>(it));
  CHECK(plan.lanes.size() == 5);
  CHECK(plan.lane_of("I") != LanePlan::npos);
}

TEST_CASE("a plan is kept and comes back, what cannot be read is left out") {
  LanePlan plan;
  plan.add_missing(channels());
  plan.lanes[0].scale = ValueScale::symlog;
  plan.lanes[0].fit = ValueFit::fixed;
  plan.lanes[0].low = -1e-3;
  plan.lanes[0].high = 0.25;
  plan.lanes[2].height = 120;
  plan.captures_apart = true;
  plan.derive(1, CurveForm::mean, 0.5);
  const LanePlan back = LanePlan::restored(plan.saved());
  CHECK(back.lanes == plan.lanes);
  CHECK(back.captures_apart);
  for (const char* junk :
       {"", "{", "[]", "null", "{\"lanes\":5}", "{\"lanes\":[5,{},{\"curves\":[7]}]}"})
    CHECK(LanePlan::restored(junk).visible(channels()).empty());
}

TEST_CASE("the charge of a current counts in coulombs") {
  const book::ChannelInfo current = channels()[2];
  CHECK(curve_quantity({"I", CurveForm::charge, 0}, current).second == "C");
  CHECK(curve_quantity({"I", CurveForm::samples, 0}, current).first == Quantity::current);
}
