// SPDX-License-Identifier: GPL-3.0-or-later
// What is written of recipes, plans, batteries and limits is read back the same.

#include "formats/project_text.h"

#include "core/budget.h"
#include "core/error.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::formats;

TEST_CASE("quantities are written as they are read") {
  CHECK(quantity_text(200e-6, Dimension::current) == "200 uA");
  CHECK(quantity_text(3.6, Dimension::voltage) == "3.6 V");
  CHECK(quantity_text(2 * 365.25 * 86400, Dimension::time) == "2 y");
  CHECK(quantity_text(60, Dimension::time) == "60 s");
  CHECK(quantity_text(600, Dimension::time) == "10 min");
  CHECK(quantity_text(90, Dimension::time) == "90 s");
  CHECK(quantity_text(0.035, Dimension::time) == "35 ms");
  CHECK(quantity_text(0.05, Dimension::ratio) == "5 %");
  CHECK(quantity_text(4.0 / 86400, Dimension::frequency) == "4 /d");
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> exponent(-9, 9);
  for (int i = 0; i < 500; ++i) {
    const double v = std::pow(10, exponent(random));
    for (const Dimension d : {Dimension::current, Dimension::charge, Dimension::time,
                              Dimension::energy, Dimension::voltage}) {
      CHECK(parse_quantity(quantity_text(v, d, 9), d) == Approx(v).epsilon(1e-8));
    }
  }
}

TEST_CASE("rules with a channel of their own come back from their text") {
  const std::string text =
      "kuvio = \"recipe/1\"\nname = \"x\"\nchannel = \"I\"\n\n[[state]]\nname = \"Low\"\n"
      "channel = \"V\"\nlevel = { above = \"2.5 V\", below = \"3.3 V\" }\nmust = { mean = { below "
      "= "
      "\"3 V\" } }\n\n[[state]]\nname = \"On\"\nchannel = \"radio_on\"\nlevel = "
      "\"high\"\n\n[[state]]\n"
      "name = \"Hot\"\nchannel = \"P\"\nlevel = { above = \"12 mW\" }\n\n[[state]]\nname = "
      "\"Rest\"\n"
      "level = { below = \"4 mA\" }\n";
  const Recipe recipe = parse_recipe(text, "a").recipe;
  CHECK(recipe.states[0].dimension == Dimension::voltage);
  CHECK(recipe.states[0].must.mean_below == 3.0);
  CHECK(recipe.states[1].line_high == true);
  CHECK(recipe.states[2].dimension == Dimension::power);
  CHECK_FALSE(recipe.states[3].elsewhere());
  CHECK(recipe_text(recipe) == text);
  // The recipe's own channel by its name is no other one.
  const std::string own =
      "kuvio = \"recipe/1\"\nname = \"x\"\nchannel = \"I\"\n[[state]]\nname = "
      "\"A\"\nchannel = \"I\"\nlevel = { below = \"4 mA\" }\n";
  CHECK_FALSE(parse_recipe(own, "a").recipe.states[0].elsewhere());
}

TEST_CASE("the example's files come back from their text") {
  const std::string examples = std::string(KUVIO_SOURCE) + "/examples/";
  const Recipe recipe = read_recipe(examples + "satchel.recipe.toml").recipe;
  const Recipe again = parse_recipe(recipe_text(recipe), "again").recipe;
  REQUIRE(again.states.size() == recipe.states.size());
  for (std::size_t i = 0; i < recipe.states.size(); ++i) {
    const StateRule &a = recipe.states[i], &b = again.states[i];
    CHECK(a.name == b.name);
    CHECK((a.level.low == b.level.low || a.level.low == Approx(b.level.low)));
    CHECK((a.level.high == b.level.high || a.level.high == Approx(b.level.high)));
    CHECK((a.level.release_high == b.level.release_high ||
           a.level.release_high == Approx(b.level.release_high)));
    CHECK(a.shortest_s == Approx(b.shortest_s));
    CHECK(a.join_gaps_s == Approx(b.join_gaps_s));
  }
  const DutyPlan duty = read_duty(examples + "satchel.duty.toml");
  const DutyPlan duty_again = parse_duty(duty_text(duty), "again");
  CHECK(duty_again.rest == duty.rest);
  CHECK(duty_again.once == duty.once);
  REQUIRE(duty_again.activities.size() == duty.activities.size());
  for (std::size_t i = 0; i < duty.activities.size(); ++i) {
    CHECK(duty_again.activities[i].rate_hz == Approx(duty.activities[i].rate_hz));
    CHECK(duty_again.activities[i].states == duty.activities[i].states);
    CHECK(duty_again.activities[i].lengths == duty.activities[i].lengths);
  }
  const Battery cell = read_battery(examples + "satchel.battery.toml");
  const Battery cell_again = parse_battery(battery_text(cell), "again");
  CHECK(cell_again.capacity_c == Approx(cell.capacity_c));
  CHECK(cell_again.reserve == Approx(cell.reserve));
  CHECK(cell_again.self_discharge_hz == Approx(cell.self_discharge_hz).epsilon(1e-5));
}

TEST_CASE("limits come back from their blocks, whatever they are of") {
  const std::string head = "kuvio = \"budget/1\"\nname = \"n\"\nrecipe = \"r.recipe.toml\"\n\n";
  const auto find = [](book::DocumentKind, const std::string& name) -> std::string {
    return name == "d" ? "kuvio = \"duty/1\"\nrest = \"Rest\"\n"
                       : "kuvio = \"battery/1\"\ncapacity = \"1 Ah\"\n";
  };
  std::vector<Limit> limits(5);
  limits[0].scope = Scope::state;
  limits[0].state = "Send \"hard\"";
  limits[0].quantity = LimitQuantity::charge_per_visit;
  limits[0].expect = 0.105;
  limits[0].max = 0.115;
  limits[0].statistic = Statistic::p95;
  limits[1].quantity = LimitQuantity::peak_current;
  limits[1].max = 0.26;
  limits[1].statistic = Statistic::worst;
  limits[2].scope = Scope::field;
  limits[2].quantity = LimitQuantity::lifetime;
  limits[2].min = 2 * 365.25 * 86400;
  limits[3].scope = Scope::field;
  limits[3].max = 60e-6;
  limits[4].scope = Scope::state;
  limits[4].state = "Send";
  limits[4].quantity = LimitQuantity::visit_length;
  limits[4].max = 2;
  std::string text = head;
  for (const Limit& l : limits) text += limit_block(l, "d", "b") + "\n";
  const Budget budget = parse_budget(text, "b.toml", find);
  REQUIRE(budget.limits.size() == limits.size());
  for (std::size_t i = 0; i < limits.size(); ++i) {
    const Limit &a = limits[i], &b = budget.limits[i];
    CHECK(b.block == i);
    CHECK(a.scope == b.scope);
    CHECK(a.state == b.state);
    CHECK(a.quantity == b.quantity);
    CHECK(a.statistic == b.statistic);
    CHECK(a.expect.has_value() == b.expect.has_value());
    CHECK(a.max.has_value() == b.max.has_value());
    if (a.max) CHECK(*b.max == Approx(*a.max));
    if (a.min) CHECK(*b.min == Approx(*a.min));
  }
}

TEST_CASE("a level between two others keeps a release on each side") {
  Recipe recipe;
  recipe.name = "found";
  StateRule rule;
  rule.name = "At 4 mA";
  rule.level = {1e-3, 10e-3, 0.8e-3, 13e-3};
  recipe.states = {rule};
  const std::string text = recipe_text(recipe);
  CHECK_THAT(text, Catch::Contains("release_below = \"800 uA\"") &&
                       Catch::Contains("release_above = \"13 mA\""));
  const Band band = parse_recipe(text, "t").recipe.states.at(0).level;
  CHECK(band.release_low == Approx(0.8e-3));
  CHECK(band.release_high == Approx(13e-3));
  // A threshold that is moved takes its release with it; one that goes takes both away.
  const std::string moved =
      set_rule_edge(text, "t", parse_recipe(text, "t").recipe, 0, BandEdge::below, 20e-3);
  CHECK(parse_recipe(moved, "t").recipe.states.at(0).level.release_high == Approx(26e-3));
  const std::string open =
      set_rule_edge(text, "t", parse_recipe(text, "t").recipe, 0, BandEdge::below, std::nullopt);
  CHECK(parse_recipe(open, "t").recipe.states.at(0).level.low == Approx(1e-3));
  for (const char* wrong :
       {"level = { below = \"1 mA\", release_above = \"2 mA\" }",
        "level = { above = \"1 mA\", below = \"2 mA\", release_above = \"1.5 mA\" }",
        "level = { above = \"1 mA\", below = \"2 mA\", release_below = \"1.5 mA\" }",
        "level = { above = \"1 mA\", below = \"2 mA\", release = \"3 mA\" }"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_recipe("kuvio = \"recipe/1\"\nname = \"x\"\n[[state]]\nname = \"S\"\n" +
                                     std::string(wrong) + "\n",
                                 "t"),
                    Error);
  }
}

TEST_CASE("whatever a rule asks for is written and read back") {
  const std::string text = R"(kuvio = "recipe/1"
name = "suite"
smooth = { over = "5 ms", take = "median" }
[[state]]
name = "Uplink"
level = { above = "40 mA" }
join_gaps = "300 ms"
must = { peak_above = "150 mA", length = { min = "1 s", max = "3 s" }, mean = { above = "60 mA", below = "90 mA" } }
begins = { log = '^uplink "start" \d', offset = "-2 ms" }
ends = { logic = "radio_on", edge = "falling" }
after = ["Wake", "Linger"]
[[state]]
name = "test {name}"
begins = { log = '^test (?P<name>\w+) begins' }
ends = { mark = "done" }
)";
  const Recipe recipe = parse_recipe(text, "f").recipe;
  REQUIRE(recipe.states.size() == 2);
  const StateRule& uplink = recipe.states[0];
  CHECK(recipe.smooth == Smoothing{5e-3, Smoothing::Take::median});
  CHECK(*uplink.begins == Anchor{Anchor::By::log, "^uplink \"start\" \\d", true, -2e-3});
  CHECK(*uplink.ends == Anchor{Anchor::By::logic, "radio_on", false, 0});
  CHECK(uplink.must == Must{150e-3, 60e-3, 90e-3, 1.0, 3.0});
  CHECK(uplink.after == std::vector<std::string>{"Wake", "Linger"});
  CHECK(uplink.by_level);
  CHECK_FALSE(recipe.states[1].by_level);
  CHECK(*recipe.states[1].ends == Anchor{Anchor::By::mark, "done", true, 0});
  const std::string written = recipe_text(recipe);
  const Recipe again = parse_recipe(written, "f").recipe;
  CHECK(recipe_text(again) == written);
  CHECK(again.smooth == recipe.smooth);
  for (std::size_t i = 0; i < 2; ++i) {
    CHECK(again.states[i].begins == recipe.states[i].begins);
    CHECK(again.states[i].ends == recipe.states[i].ends);
    CHECK(again.states[i].must == recipe.states[i].must);
    CHECK(again.states[i].after == recipe.states[i].after);
    CHECK(again.states[i].by_level == recipe.states[i].by_level);
  }
}
