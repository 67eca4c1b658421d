// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/level_scale.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio;

namespace {
std::vector<EnvelopeColumn> columns(const std::vector<std::pair<double, double>>& ends) {
  std::vector<EnvelopeColumn> out;
  for (const auto& [lo, hi] : ends) {
    EnvelopeColumn c;
    c.lo = lo;
    c.hi = hi;
    c.any = true;
    out.push_back(c);
  }
  return out;
}
}  // namespace

TEST_CASE("a scale of levels is logarithmic from where it rests, a decade at least") {
  const auto scale = LevelScale::of(columns({{3e-6, 3e-6}, {3e-6, 20e-3}}));
  CHECK_FALSE(scale.through);
  CHECK(scale.part(20e-3) == Approx(1));
  CHECK(scale.part(3e-6) == Approx(0));
  CHECK(scale.part(std::sqrt(3e-6 * 20e-3)) == Approx(0.5));
  CHECK(scale.part(0) == Approx(0));  // kept within its ends
  CHECK(scale.part(-1) == Approx(0));
  CHECK(scale.part(5) == Approx(1));
  const auto steady = LevelScale::of(columns({{1e-3, 1e-3}}));
  CHECK(steady.high - steady.low == Approx(1));
  CHECK(steady.part(1e-3) == Approx(1));
}

TEST_CASE("noise about zero is no current that flows back; what does gets the same room") {
  CHECK_FALSE(LevelScale::of(columns({{-1e-7, 2e-7}, {10e-3, 10e-3}})).through);
  const auto both = LevelScale::of(columns({{-10e-3, -10e-3}, {10e-3, 10e-3}, {1e-6, 1e-6}}));
  CHECK(both.through);
  CHECK(both.part(0) == Approx(0.5));
  CHECK(both.part(10e-3) + both.part(-10e-3) == Approx(1));
  const auto charging = LevelScale::of(columns({{-5e-3, -5e-3}}));
  CHECK(charging.through);
  CHECK(charging.part(-5e-3) == Approx(0));
  CHECK(charging.part(0) == Approx(1));
}

TEST_CASE("what is nothing, or a gap, still has a scale with room in it") {
  for (const auto& none : {columns({}), columns({{0, 0}}), std::vector<EnvelopeColumn>(5)}) {
    const auto scale = LevelScale::of(none);
    CHECK(scale.high > scale.low);
    CHECK(scale.part(0) == Approx(0.5));
  }
}

TEST_CASE("the scale through zero and its inverse, over all decades and either sign") {
  for (double v = 1e-12; v < 1e3; v *= 7) {
    CHECK(from_symlog(symlog(v, 1e-6), 1e-6) == Approx(v));
    CHECK(symlog(-v, 1e-6) == -symlog(v, 1e-6));
  }
  CHECK(symlog(1e-3, 1e-6) - symlog(1e-4, 1e-6) == Approx(1).margin(1e-3));  // a decade is one
}
