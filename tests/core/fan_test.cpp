// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/fan.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("the fan's shares add up and follow the view") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(3000, 1e-3);
  std::fill(values.begin() + 1000, values.begin() + 2000, 9e-3);
  trace.append(0, 1, values);
  const auto visits =
      measure_visits(trace, {{"A", 0, 1, false}, {"B", 1, 2, true}, {"A", 2, 3, false}});
  const Fan whole = make_fan(trace, visits, 0, 3);
  REQUIRE(whole.bands.size() == 3);
  CHECK(whole.bands[1].charge_to - whole.bands[1].charge_from == Approx(9.0 / 11));
  CHECK(whole.bands[2].charge_to == Approx(1));
  const Fan part = make_fan(trace, visits, 1.5, 2.5);
  REQUIRE(part.bands.size() == 2);
  CHECK(part.bands[0].charge_to == Approx(0.9));
  CHECK(part.bands[0].time_to == Approx(0.5));
  CHECK(visit_at(visits, 1.5) == 1);
  CHECK(visit_at(visits, 3.5) == 3);
}

TEST_CASE("what flows back has no width in charge, and without charge the fan is upright") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(4000, 2e-3);
  std::fill(values.begin() + 1000, values.begin() + 3000, -1e-3);
  trace.append(0, 1, values);
  const auto visits =
      measure_visits(trace, {{"Draw", 0, 1, false}, {"Feed", 1, 3, true}, {"Draw", 3, 4, false}});
  const Fan fan = make_fan(trace, visits, 0, 4);
  REQUIRE(fan.bands.size() == 3);
  CHECK(fan.charge == Approx(4e-3));
  CHECK(fan.bands[1].charge_from == Approx(0.5));
  CHECK(fan.bands[1].charge_to == Approx(0.5));
  const Fan back = make_fan(trace, visits, 1, 3);
  REQUIRE(back.bands.size() == 1);
  CHECK(back.charge == 0);
  CHECK(back.bands[0].charge_from == 0);
  CHECK(back.bands[0].charge_to == 1);
}

TEST_CASE("a log line in the cell of an edge speaks of the visit that begins there") {
  std::vector<VisitFigures> visits(2);
  visits[0].visit = {"A", 0, 1, true};
  visits[1].visit = {"B", 1, 2, true};
  visits[1].visit.begins = {0.9, 1.05};
  CHECK(visit_spoken_of(visits, 0.89) == 0);
  CHECK(visit_spoken_of(visits, 0.95) == 1);
  CHECK(visit_spoken_of(visits, 1.5) == 1);
  CHECK(visit_spoken_of(visits, 2.5) == 2);
}
