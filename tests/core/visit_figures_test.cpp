// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit_figures.h"

#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("charges of all visits add up to the trace's own, wherever they are cut") {
  std::mt19937_64 random(11);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 40; ++round) {
    const auto kind = round % 2 == 0 ? SampleKind::averaged : SampleKind::instant;
    const MemoryTrace trace = test::random_trace(random, kind, round % 3 == 0);
    std::vector<double> cuts{trace.from_s(), trace.to_s()};
    for (int i = 0; i < 12; ++i)
      cuts.push_back(trace.from_s() + unit(random) * (trace.to_s() - trace.from_s()));
    std::sort(cuts.begin(), cuts.end());
    Visits visits;
    for (std::size_t i = 0; i + 1 < cuts.size(); ++i)
      visits.push_back({i % 2 ? "A" : "B", cuts[i], cuts[i + 1], true});
    const auto figures = measure_visits(trace, visits);
    REQUIRE(figures.size() == visits.size());
    double charge = 0, observed = 0, missing = 0;
    for (const VisitFigures& f : figures) {
      charge += f.charge;
      observed += f.observed_s;
      missing += f.missing_s;
    }
    const SpanFigures all = measure(trace, trace.from_s(), trace.to_s());
    CHECK(std::fabs(charge - all.charge) < 1e-12 * test::absolute_charge(trace));
    CHECK(observed == Approx(all.observed_s));
    CHECK(observed + missing == Approx(trace.to_s() - trace.from_s()));
    CHECK(visits_of(figures) == visits);
  }
}

TEST_CASE("a visit's extremes are those of the samples that lie wholly in it") {
  MemoryTrace trace = test::trace_of({{1e-3, 10}, {9e-3, 1}, {2e-3, 10}, {-4e-3, 1}, {2e-3, 5}});
  const auto figures = measure_visits(
      trace, {{"A", 0, 0.0105, true}, {"B", 0.0105, 0.0215, true}, {"C", 0.0215, 0.027, true}});
  CHECK(*figures[0].peak == 1e-3);  // 9 mA lies half in it
  CHECK(*figures[1].peak == 2e-3);
  CHECK(*figures[1].least == 2e-3);
  CHECK(*figures[2].peak == 2e-3);
  CHECK(figures[0].charge == Approx(10e-6 + 4.5e-6));
  CHECK(figures[1].charge == Approx(4.5e-6 + 20e-6 - 2e-6));
  // One that holds no whole sample has the extremes of what it lies in.
  const auto narrow = measure_visits(trace, {{"N", 0.0102, 0.0107, true}});
  CHECK(narrow[0].charge == Approx(4.5e-6));
  CHECK(*narrow[0].peak == 9e-3);
  CHECK(*narrow[0].least == 9e-3);
}

TEST_CASE("missing time has no charge and no mean") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, std::vector<double>(1000, 5e-3));
  trace.append(3000, 1, std::vector<double>(1000, 5e-3));
  const auto figures =
      measure_visits(trace, {{"A", 0, 1, true}, {kMissing, 1, 3, true}, {"A", 3, 4, true}});
  CHECK(figures[1].charge == 0);
  CHECK_FALSE(figures[1].mean);
  CHECK(figures[1].missing_s == Approx(2));
  CHECK(*figures[2].mean == Approx(5e-3));
}
