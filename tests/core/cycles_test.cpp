// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/cycles.h"

#include "core/state_split.h"

#include "support.h"
#include "two_states.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::kTwo;
using test::rounds;

TEST_CASE("cycles run from entry to entry") {
  const MemoryTrace trace = rounds({5e-3, 6e-3, 7e-3});
  const auto visits = measure_visits(trace, split(trace, kTwo));
  const CycleFigures c = figures_of_cycles(visits, "Work");
  CHECK(c.count == 2);
  CHECK(c.period.mean == Approx(1.0));
  CHECK(c.charge.mean == Approx((5e-3 + 6e-3) / 2 * 0.1 + 0.9 * 2e-6));
  const auto list = cycles_of(visits_of(visits), "Work");
  CHECK(list.front().from_s == Approx(0.9));
  CHECK(list.back().to_s == Approx(2.9));
  CHECK(figures_of_cycles(visits, "Nowhere").count == 0);
}

TEST_CASE("no cycle goes over a gap or over Off, and a span of whole cycles holds none") {
  const Visits visits{{"Rest", 0, 1, false},   {"Work", 1, 2},        {"Rest", 2, 3},
                      {"Work", 3, 4},          {"Rest", 4, 5, false}, {kMissing, 5, 15, false},
                      {"Rest", 15, 16, false}, {"Work", 16, 17},      {"Rest", 17, 18},
                      {"Work", 18, 19},        {"Rest", 19, 20},      {"Work", 20, 21, false},
                      {kOff, 21, 30, false},   {"Work", 30, 31},      {"Rest", 31, 32, false}};
  CHECK(cycles_of(visits, "Work").size() == 3);  // 1 to 3; 16 to 18 to 20
  CHECK(cycles_of(visits, "Rest").size() == 2);  // 2 to 4; 17 to 19: none begins with a cut one
  const auto span = whole_cycles(visits, "Work", 0, 32);
  REQUIRE(span);
  CHECK(span->from_s == 16);
  CHECK(span->to_s == 20);
  CHECK(span->cycles == 2);
  // Ends that lie on entries just count.
  const auto inside = cycles_inside(visits, "Work", 16, 20);
  REQUIRE(inside);
  CHECK(inside->cycles == 2);
  CHECK_FALSE(cycles_inside(visits, "Work", 16.5, 19.5));
}
