// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/comparison.h"

#include "core/error.h"
#include "formats/project_text.h"

#include "study/budget_check.h"
#include "study/limits.h"
#include "study/report.h"
#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::StudyBook;

namespace {

struct TwoBuilds : StudyBook {
  TwoBuilds() {
    add("1.0", 3e-6, 10e-3, 6);
    add("1.1", 8e-6, 10e-3, 6);
  }
  study::Pool of(const std::string& build) const { return study::pool_build(book, build); }
};

DutyPlan plan_of_file() { return formats::parse_duty(test::kStudyDuty, "field.duty.toml"); }
Battery battery_of_file() { return formats::parse_battery(test::kStudyBattery, "cell"); }

}  // namespace

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

TEST_CASE("a check splits what was split by another recipe, and saves nothing") {
  TwoBuilds made;
  made.add("2.0", 3e-6, 10e-3, 6, false);
  auto recipe = formats::parse_recipe(test::kStudyRecipe, "two.recipe.toml");
  CHECK(study::split_build(made.book, "2.0", recipe).front().visits.size() == 13);
  CHECK_FALSE(made.book.split(3));
}

TEST_CASE("a report holds every split build against the reference") {
  TwoBuilds made;
  made.add("1.0", 3e-6, 10e-3, 6);
  made.add("0.9", 3e-6, 10e-3, 6, false);
  study::ReportRequest request;
  request.title = "night";
  request.duty = plan_of_file();
  request.battery = battery_of_file();
  request.budget = std::make_shared<Budget>(
      study::limits_from(made.of("1.0").ledger(), "b", "two.recipe.toml", {}, {}));
  request.recipe = formats::parse_recipe(test::kStudyRecipe, "two.recipe.toml");
  const study::Report report = study::report_of(made.book, request);
  CHECK(report.left_out == std::vector<std::string>{"of 0.9"});
  CHECK(report.content.captures.size() == 3);
  REQUIRE(report.content.comparisons.size() == 1);
  CHECK(report.content.comparisons.front().candidate == "1.1");
  CHECK(report.content.lives.size() == 2);
  CHECK(report.content.checks.at("1.1").verdict == Verdict::outside);
  CHECK(report.content.state_order == std::vector<std::string>{"Sleep", "Work"});
  const std::string page = formats::html_report(report.content);
  CHECK_THAT(page, Catch::Contains("night") && Catch::Contains("1.1"));

  request.reference = "7";
  CHECK_THROWS_WITH(study::report_of(made.book, request), Catch::Contains("\"7\""));
  StudyBook none;
  none.add("1.0", 3e-6, 10e-3, 2, false);
  CHECK_THROWS_WITH(study::report_of(none.book, {}), Catch::Contains("nothing to report"));
}
