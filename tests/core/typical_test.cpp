// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/typical.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

/// Visits of 1 s every 2 s; the k-th decays from 1 + k/10 to nothing in a straight line.
struct Made {
  MemoryTrace trace{SampleKind::averaged, {1, 1000}};
  Visits visits;
  explicit Made(int n, int ms = 1000) {
    std::vector<double> values;
    for (int k = 0; k < n; ++k) {
      const double from = static_cast<double>(values.size()) / 1000;
      for (int i = 0; i < ms; ++i) values.push_back((1 + k / 10.0) * (1 - (i + 0.5) / ms));
      const double to = static_cast<double>(values.size()) / 1000;
      for (int i = 0; i < 1000; ++i) values.push_back(0.001);
      visits.push_back({"Burst", from, to, k > 0});
      visits.push_back({"Rest", to, to + 1, true});
    }
    trace.append(0, 1, values);
  }
};

}  // namespace

TEST_CASE("a typical visit is the mean of all whole visits laid from their start") {
  const Made made(11);  // the first is cut: ten count, with factors 1.1 … 2.0
  const std::vector<TypicalPart> parts{{&made.trace, &made.visits}};
  const double step = typical_step(parts, "Burst", 1e-3, 100);
  CHECK(step == Approx(0.01));
  const TypicalVisit v = typical_visit(parts, "Burst", step);
  CHECK(v.visits == 10);
  CHECK(v.whole_visits == 10);
  CHECK(v.median_s == Approx(1));
  REQUIRE(v.steps.size() == 100);
  for (std::size_t i = 0; i < v.steps.size(); ++i) {
    const double left = 1 - (static_cast<double>(i) + 0.5) / 100;
    CHECK(v.steps[i].mean == Approx(1.55 * left));
    CHECK(v.steps[i].low == Approx(1.19 * left));   // the 10th percentile of ten
    CHECK(v.steps[i].high == Approx(1.91 * left));  // and the 90th
  }
}

TEST_CASE("visits that end earlier count only as far as they last") {
  const Made longer(9), shorter(9, 500);
  const TypicalVisit v = typical_visit(
      {{&longer.trace, &longer.visits}, {&shorter.trace, &shorter.visits}}, "Burst", 0.01);
  REQUIRE(v.steps.size() == 100);
  CHECK(v.steps[10].visits == 16);
  CHECK(v.steps[80].visits == 8);
}

TEST_CASE("of many visits some are taken, and nothing is made of none") {
  const Made made(40);
  const std::vector<TypicalPart> parts{{&made.trace, &made.visits}};
  const TypicalVisit v = typical_visit(parts, "Burst", 0.01, 5);
  CHECK(v.visits == 5);
  CHECK(v.whole_visits == 39);
  CHECK(typical_step(parts, "Nothing", 1e-3, 100) == 0);
  CHECK(typical_visit(parts, "Nothing", 0.01).steps.empty());
  CHECK(typical_visit(parts, "Burst", 0.01, 200, [] { return true; }).steps.empty());
}
