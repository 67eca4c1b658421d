// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/comparison.h"

#include "formats/project_text.h"

#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::battery_of_file;
using test::plan_of_file;
using test::TwoBuilds;

TEST_CASE("builds are compared by the plan where both hold it, and lives follow the bridge") {
  const TwoBuilds made;
  CompareSettings settings;
  settings.duty = plan_of_file();
  const auto out =
      study::compare_builds(made.of("1.0"), made.of("1.1"), settings, battery_of_file());
  CHECK(out.field);
  CHECK(out.reference_captures == 1);
  // 59.5 s of sleep a minute, 5 uA more.
  CHECK(out.comparison.total.value == Approx(5e-6 * 59.5 / 60).epsilon(1e-4));
  CHECK(out.comparison.total_conclusion == Conclusion::higher);
  const double before = (59.5 * 3e-6 + 5e-3) / 60, after = (59.5 * 8e-6 + 5e-3) / 60;
  CHECK(*out.reference_life->life == Approx(360 / before).epsilon(1e-4));
  CHECK(*out.candidate_life->life == Approx(360 / after).epsilon(1e-4));
  REQUIRE(out.life_change.size() == out.comparison.rows.size());
  double changes = 0;
  for (const auto& change : out.life_change) changes += *change;
  CHECK(changes == Approx(360 / after - 360 / before).epsilon(1e-3));
}

TEST_CASE("a plan that asks for what a side never did gives way to the captures") {
  const TwoBuilds made;
  CompareSettings settings;
  settings.duty = plan_of_file();
  settings.duty->activities.front().states = {"Dance"};
  const auto out = study::compare_builds(made.of("1.0"), made.of("1.1"), settings, {});
  CHECK_FALSE(out.field);
  CHECK(out.comparison.missing.empty());
  CHECK_FALSE(out.reference_life);
  // Asked alone, the same plan is answered with what is missing.
  CHECK(study::compare_pools(made.of("1.0"), made.of("1.1"), settings).missing ==
        std::vector<std::string>{"Dance"});
  settings.duty = plan_of_file();
  settings.duty->activities.front().rate_hz = 10;
  CHECK_THROWS_WITH(study::compare_pools(made.of("1.0"), made.of("1.1"), settings),
                    Catch::Contains("field.duty.toml"));
}
