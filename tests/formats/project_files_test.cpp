// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/project_files.h"

#include "core/budget.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::formats;

namespace {
const std::string kDemo = std::string(KUVIO_SOURCE) + "/examples/";

/// What reading a recipe with this text complains of.
std::string recipe_error(const std::string& text) {
  try {
    parse_recipe(text, "f.recipe.toml");
  } catch (const Error& e) {
    CHECK(e.failure() == Failure::bad_data);
    return e.what();
  }
  return "read";
}
const std::string kHead = "kuvio = \"recipe/1\"\nname = \"x\"\n[[state]]\nname = \"A\"\n";
}  // namespace

TEST_CASE("the demo's files are read") {
  const RecipeFile recipe = read_recipe(kDemo + "satchel.recipe.toml");
  REQUIRE(recipe.recipe.states.size() == 8);
  CHECK(recipe.recipe.states[0].level.release_high == Approx(260e-6));
  CHECK(recipe.recipe.states[7].join_gaps_s == Approx(0.3));
  const Budget budget = read_budget(kDemo + "satchel.budget.toml");
  CHECK(budget.limits.size() == 10);
  CHECK(budget.recipe_file == kDemo + "satchel.recipe.toml");
  const Limit& life = budget.limits.back();
  CHECK(life.quantity == LimitQuantity::lifetime);
  CHECK(*life.min == Approx(2 * 365.25 * 86400));
  CHECK(life.battery->capacity_c == Approx(4320));
  CHECK(life.duty->activities.size() == 2);
  CHECK(budget.limits[5].statistic == Statistic::worst);
}

TEST_CASE("a duty plan gives lengths per activity, and every slip in them is told with its line") {
  const std::string head = "kuvio = \"duty/1\"\nrest = \"R\"\n";
  const std::string activity = head + "[[activity]]\nevery = \"60 s\"\nstates = [\"A\", \"B\"]\n";
  const DutyPlan plan = parse_duty(activity + "lengths = { B = \"5.5 s\" }\n", "f.duty.toml");
  REQUIRE(plan.activities.size() == 1);
  CHECK(plan.activities[0].lengths.at("B") == Approx(5.5));
  CHECK(plan.names("A"));
  CHECK_FALSE(plan.names("C"));
  const auto error = [&](const std::string& text) -> std::string {
    try {
      parse_duty(text, "f.duty.toml");
    } catch (const Error& e) {
      return e.what();
    }
    return "";
  };
  CHECK_THAT(error(activity + "lengths = { C = \"5 s\" }\n"),
             Catch::Contains("f.duty.toml:6") && Catch::Contains("not a state of this activity"));
  CHECK_THAT(error(activity + "lengths = { B = 5 }\n"), Catch::Contains("f.duty.toml:6"));
  CHECK_THAT(error(activity + "lengths = { B = \"0 s\" }\n"), Catch::Contains("greater than zero"));
  CHECK_THAT(error(activity + "length = \"5 s\"\n"), Catch::Contains("length"));
  // Plans of older books say [[round]]; both are read.
  const std::string older = head + "[[round]]\nper = \"4 /d\"\nstates = [\"A\"]\n";
  CHECK(parse_duty(older, "f").activities.size() == 1);
  CHECK(std::string(activity_key(older)) == "round");
  CHECK(std::string(activity_key(activity)) == "activity");
}

TEST_CASE("every slip in a recipe is told with its line") {
  CHECK_THAT(recipe_error("kuvio = \"recipe/1\"\nname = \n"), Catch::Contains("f.recipe.toml:2"));
  CHECK_THAT(recipe_error("name = \"x\"\n"), Catch::Contains("recipe/1"));
  CHECK_THAT(recipe_error("kuvio = \"budget/1\"\n"),
             Catch::Contains("f.recipe.toml:1") && Catch::Contains("budget/1"));
  CHECK_THAT(recipe_error(kHead + "level = { below = 4 }\n"), Catch::Contains("f.recipe.toml:5") &&
                                                                  Catch::Contains("below") &&
                                                                  Catch::Contains("unit"));
  CHECK_THAT(recipe_error(kHead + "level = { below = \"4 V\" }\n"),
             Catch::Contains(":5") && Catch::Contains("current"));
  CHECK_THAT(recipe_error(kHead + "levl = { below = \"4 mA\" }\n"),
             Catch::Contains(":5") && Catch::Contains("levl"));
  const auto elsewhere = [](const std::string& rest) {
    return recipe_error(kHead + "channel = \"V\"\n" + rest);
  };
  CHECK(elsewhere("level = { below = \"3.3 V\" }\n") == "read");
  CHECK(elsewhere("level = \"high\"\nshortest = \"1 ms\"\n") == "read");
  CHECK_THAT(elsewhere("level = \"up\"\n"), Catch::Contains(":6") && Catch::Contains("\"low\""));
  CHECK_THAT(elsewhere("begins = { log = \"a\" }\n"), Catch::Contains("needs its \"level\""));
  CHECK_THAT(elsewhere("level = { below = \"3.3 V\", above = \"1 A\" }\n"),
             Catch::Contains("unit of voltage"));
  CHECK_THAT(elsewhere("level = { below = \"3.3 V\" }\nmust = { peak_above = \"1 mA\" }\n"),
             Catch::Contains("unit of voltage"));
  CHECK_THAT(elsewhere("level = { below = \"3 V\" }\nafter = [\"B\"]\n"),
             Catch::Contains(":7") && Catch::Contains("recipe's channel"));
  CHECK_THAT(elsewhere("level = \"high\"\nbegins = { log = \"a\" }\n"),
             Catch::Contains("no \"begins\""));
  CHECK_THAT(elsewhere("level = \"high\"\nmust = { mean = { above = \"1 A\" } }\n"),
             Catch::Contains("no peak and no mean"));
  const std::string level = "level = { below = \"4 mA\" }\n";
  const std::pair<std::string, std::string> slips[] = {
      {level + "must = { peak_above = \"1 V\" }\n", "current"},
      {level + "must = { peek_above = \"1 A\" }\n", "peek_above"},
      {level + "must = { }\n", "asks for nothing"},
      {level + "must = { length = { min = \"2 s\", max = \"1 s\" } }\n", "longer"},
      {level + "must = { mean = { above = \"2 A\", below = \"1 A\" } }\n", "lower"},
      {level + "begins = { log = \"(\" }\n", "no regular expression"},
      {level + "begins = { log = \"a\", mark = \"b\" }\n", "needs one of"},
      {level + "begins = { offset = \"1 s\" }\n", "needs one of"},
      {level + "begins = { logic = \"TX\", edge = \"up\" }\n", "rising"},
      {level + "ends = { log = \"a\", edge = \"rising\" }\n", "logic"},
      {"begins = { log = \"a\" }\njoin_gaps = \"1 s\"\n", "no \"level\""},
      {"ends = { log = \"a\" }\n", "level"}};
  for (const auto& [text, why] : slips) {
    CAPTURE(text);
    CHECK_THAT(recipe_error(kHead + text),
               Catch::Contains(why) && Catch::Contains("f.recipe.toml:"));
  }
  const std::string head = "kuvio = \"recipe/1\"\nname = \"x\"\n";
  CHECK_THAT(recipe_error(head + "smooth = { over = \"0 s\", take = \"max\" }\n[[state]]\n"),
             Catch::Contains(":3") && Catch::Contains("longer than nothing"));
  CHECK_THAT(recipe_error(head + "smooth = { over = \"1 s\", take = \"least\" }\n[[state]]\n"),
             Catch::Contains(":3") && Catch::Contains("median"));
  CHECK_THAT(recipe_error(head + "[[state]]\nname = \"{name}\"\n" + level), Catch::Contains("{…}"));
  CHECK_THAT(recipe_error(head + "[[state]]\nname = \"{name}\"\nbegins = { log = '(?P<nam>.)' }\n"),
             Catch::Contains("no group") && Catch::Contains("name"));
  CHECK_THAT(recipe_error(kHead + "level = { below = \"4 mA\", above = \"5 mA\" }\n"),
             Catch::Contains(":5"));
  CHECK_THAT(recipe_error(kHead + "level = { below = \"4 mA\", release = \"3 mA\" }\n"),
             Catch::Contains("release"));
  CHECK_THAT(recipe_error(kHead + "level = { below = \"4 mA\" }\nshortest = \"-1 s\"\n"),
             Catch::Contains(":6"));
  CHECK_THAT(recipe_error("kuvio = \"recipe/1\"\nname = \"x\"\n[[state]]\nname = \"Off\"\nlevel = "
                          "{ below = \"1 A\" }\n"),
             Catch::Contains("built in"));
  CHECK_THAT(recipe_error("kuvio = \"recipe/1\"\nname = \"x\"\n"), Catch::Contains("[[state]]"));
  CHECK_THAT(recipe_error("kuvio = \"recipe/1\"\nname = \"x\"\nstate = 3\n"),
             Catch::Contains(":3"));
}

TEST_CASE("every slip in a budget, battery or duty plan is told with its line") {
  const test::Folder folder;
  const auto error = [&](auto read, const std::string& text) -> std::string {
    try {
      read(folder.write("f.toml", text));
    } catch (const Error& e) {
      return e.what();
    }
    return "read";
  };
  const std::string budget = "kuvio = \"budget/1\"\nname = \"x\"\nrecipe = \"r\"\n[[limit]]\n";
  CHECK_THAT(error(read_budget, budget + "state = \"A\"\nmean_current = { max = \"4 mV\" }\n"),
             Catch::Contains("f.toml:6"));
  CHECK_THAT(error(read_budget, budget + "state = \"A\"\n"),
             Catch::Contains("f.toml:4") && Catch::Contains("quantity"));
  CHECK_THAT(error(read_budget, budget + "charge_per_visit = { max = \"4 mC\" }\n"),
             Catch::Contains("needs a state"));
  CHECK_THAT(
      error(read_budget,
            budget + "state = \"A\"\nmean_current = { max = \"4 mA\", peak_over = \"1 ms\" }\n"),
      Catch::Contains("not yet supported"));
  CHECK_THAT(error(read_budget,
                   budget + "state = \"A\"\nfield = true\nmean_current = { max = \"4 mA\" }\n"),
             Catch::Contains("exactly one of"));
  CHECK_THAT(
      error(read_budget,
            budget + "field = true\nduty = \"none.toml\"\nmean_current = { max = \"4 mA\" }\n"),
      Catch::Contains("no such file"));
  CHECK_THAT(error(read_battery, "kuvio = \"battery/1\"\ncapacity = 1200\n"),
             Catch::Contains("f.toml:2"));
  CHECK_THAT(
      error(read_battery, "kuvio = \"battery/1\"\ncapacity = \"1 Ah\"\nself_discharge = \"1 %\"\n"),
      Catch::Contains("f.toml:3"));
  CHECK_THAT(error(read_battery,
                   "kuvio = \"battery/1\"\ncapacity = \"1 Ah\"\ncutoff_reserve = \"100 %\"\n"),
             Catch::Contains("f.toml:3"));
  CHECK_THAT(error(read_duty, "kuvio = \"duty/1\"\nrest = \"A\"\n[[round]]\nstates = [\"B\"]\n"),
             Catch::Contains("f.toml:3"));
  CHECK_THAT(
      error(read_duty,
            "kuvio = \"duty/1\"\nrest = \"A\"\n[[round]]\nevery = \"0 s\"\nstates = [\"B\"]\n"),
      Catch::Contains("f.toml:4"));
  CHECK_THAT(error(read_duty, std::string(100, '\0')), Catch::Contains("f.toml:1"));
}

TEST_CASE("keys that nest unlimited are refused with their line, before they are read") {
  for (const auto& [open, close] : {std::pair{"", " = 1"}, {"[", "]"}, {"x = { ", " = 1 }"}}) {
    std::string deep = std::string("kuvio = \"battery/1\"\n") + open + "a";
    for (int i = 0; i < 60'000; ++i) deep += ".a";
    deep += close;
    try {
      formats::parse_battery(deep, "deep.battery.toml");
      FAIL("it was read");
    } catch (const Error& e) {
      CHECK(e.failure() == Failure::bad_data);
      CHECK(e.where() == "deep.battery.toml:2");
    }
  }
}
