// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/report.h"

#include "formats/html_report.h"

#include "study/limits.h"
#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::battery_of_file;
using test::plan_of_file;
using test::StudyBook;
using test::TwoBuilds;

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
