// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/limits.h"

#include "formats/project_text.h"

#include "study/budget_check.h"
#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::battery_of_file;
using test::plan_of_file;
using test::TwoBuilds;

TEST_CASE("limits made from a capture hold for it, are read back from their text, and catch more") {
  const TwoBuilds made;
  const study::Pool pool = made.of("1.0");
  const Budget budget = study::limits_from(pool.ledger(), "Limits from 1.0", "two.recipe.toml",
                                           plan_of_file(), battery_of_file());
  REQUIRE(budget.limits.size() == 3);
  CHECK(budget.limits[0].state == "Work");
  CHECK(budget.limits[0].quantity == LimitQuantity::charge_per_visit);
  CHECK(*budget.limits[0].max == Approx(5.5e-3));
  CHECK(budget.limits[1].quantity == LimitQuantity::mean_current);  // it rests in Sleep
  CHECK(*budget.limits[1].max == Approx(3.3e-6));
  CHECK(budget.supply == 3);
  const std::string text = formats::budget_text(budget, "field.duty.toml", "cell.battery.toml");
  const Budget read = formats::parse_budget(
      text, "limits.budget.toml", [](book::DocumentKind kind, const std::string&) -> std::string {
        return kind == book::DocumentKind::duty      ? test::kStudyDuty
               : kind == book::DocumentKind::battery ? test::kStudyBattery
                                                     : test::kStudyRecipe;
      });
  REQUIRE(read.limits.size() == 3);
  for (std::size_t i = 0; i < 3; ++i) {
    CHECK(read.limits[i].name() == budget.limits[i].name());
    CHECK(read.limits[i].max.value_or(0) == Approx(budget.limits[i].max.value_or(0)));
  }
  const auto recipe = formats::parse_recipe(test::kStudyRecipe, "two.recipe.toml");
  Budget states = read;
  states.limits.pop_back();
  CHECK(study::check_build(made.book, states, recipe, "1.0").verdict == Verdict::within);
  CHECK(study::check_build(made.book, states, recipe, "1.1").verdict == Verdict::outside);
  CHECK_THROWS_WITH(study::check_build(made.book, read, recipe, "9"),
                    Catch::Contains("no such build"));
}
