// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/budget_check.h"

#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::TwoBuilds;

TEST_CASE("a check splits what was split by another recipe, and saves nothing") {
  TwoBuilds made;
  made.add("2.0", 3e-6, 10e-3, 6, false);
  auto recipe = formats::parse_recipe(test::kStudyRecipe, "two.recipe.toml");
  CHECK(study::split_build(made.book, "2.0", recipe).front().visits.size() == 13);
  CHECK_FALSE(made.book.split(3));
}
