// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/project_edits.h"

#include "book/documents.h"
#include "core/budget.h"
#include "core/duty.h"
#include "core/error.h"
#include "formats/project_files.h"
#include "formats/project_text.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <vector>

using namespace kuvio;
using namespace kuvio::formats;
using book::DocumentKind;

namespace {

const std::string kBudget = R"(kuvio = "budget/1"
name = "Limits"
recipe = "r.recipe.toml"

# The rest decides.
[[limit]]
state = "Sleep"
mean_current = { expect = "3 uA", max = "4 uA" }  # by the data sheet
peak_current = { max = "1 mA", of = "p95" }

[[limit]]
field = true
duty = "d.duty.toml"
lifetime = { min = "2 y", battery = "b.battery.toml" }
)";

const std::string kRecipe = R"(kuvio = "recipe/1"
name = "r"
# Quiet.
[[state]]
name = "Sleep"
level = { below = "10 uA", release = "20 uA" }
[[state]]
name = "Work"
level = { above = "1 mA" }
shortest = "2 ms"
)";

const std::string kDuty = R"(kuvio = "duty/1"
rest = "Sleep"
[[activity]]
per = "4 /d"  # seasons differ
states = ["Work"]
)";

const std::string kBattery = R"(kuvio = "battery/1"
capacity = "1 Ah"  # nominal
)";

std::string beside(DocumentKind kind, const std::string&) {
  return kind == DocumentKind::battery ? kBattery : kDuty;
}
Budget parsed(const std::string& text) { return parse_budget(text, "t.budget.toml", beside); }

/// The lines of `now` that `was` does not have, and the other way round.
std::vector<std::string> changed(const std::string& was, const std::string& now) {
  const auto lines = [](const std::string& text) {
    std::vector<std::string> out;
    for (std::size_t at = 0; at < text.size();) {
      const auto end = std::min(text.find('\n', at), text.size());
      out.push_back(text.substr(at, end - at));
      at = end + 1;
    }
    return out;
  };
  const auto a = lines(was), b = lines(now);
  std::vector<std::string> out;
  for (const std::string& l : a) {
    if (std::find(b.begin(), b.end(), l) == b.end()) out.push_back("-" + l);
  }
  for (const std::string& l : b) {
    if (std::find(a.begin(), a.end(), l) == a.end()) out.push_back("+" + l);
  }
  return out;
}

using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("a limit's values change where they stand, and nothing else does") {
  const Budget budget = parsed(kBudget);
  Limit limit = budget.limits[0];
  REQUIRE(limit.quantity == LimitQuantity::mean_current);
  limit.max = 5.5e-6;
  CHECK(changed(kBudget, set_limit(kBudget, "t", limit)) ==
        Lines{R"(-mean_current = { expect = "3 uA", max = "4 uA" }  # by the data sheet)",
              R"(+mean_current = { expect = "3 uA", max = "5.5 uA" }  # by the data sheet)"});
  limit.expect.reset();
  limit.statistic = Statistic::worst;
  const std::string worst = set_limit(kBudget, "t", limit);
  CHECK_FALSE(parsed(worst).limits[0].expect);
  CHECK(parsed(worst).limits[0].statistic == Statistic::worst);
  CHECK_THAT(worst, Catch::Contains("# The rest decides.") && Catch::Contains("# by the data"));
}

TEST_CASE("what a quantity is usually judged by is not written out") {
  Limit peak = parsed(kBudget).limits[1];
  REQUIRE(peak.quantity == LimitQuantity::peak_current);
  CHECK(peak.statistic == Statistic::p95);
  peak.statistic = info(peak.quantity).usual;
  const std::string text = set_limit(kBudget, "t", peak);
  CHECK_THAT(text, !Catch::Contains("of ="));
  CHECK(parsed(text).limits[1].statistic == Statistic::worst);
}

TEST_CASE("a lifetime's lower limit is written back as a budget takes it") {
  Limit life = parsed(kBudget).limits.back();
  life.min = 3 * 365.25 * 86400;
  const std::string text = set_limit(kBudget, "t", life);
  CHECK(*parsed(text).limits.back().min == Approx(*life.min));
  CHECK_THAT(text, Catch::Contains(R"(battery = "b.battery.toml")"));
}

TEST_CASE("a limit goes, its block with it only when it was the last in it") {
  const Budget budget = parsed(kBudget);
  const std::string one = remove_limit(kBudget, "t", budget, budget.limits[0]);
  CHECK(parsed(one).limits.size() == 2);
  CHECK_THAT(one, Catch::Contains("peak_current") && !Catch::Contains("mean_current"));
  const std::string field = remove_limit(kBudget, "t", budget, budget.limits.back());
  CHECK_THAT(field, !Catch::Contains("field") && Catch::Contains("mean_current"));
}

TEST_CASE("every quantity in the table is written as a block that is read back as it was") {
  for (const LimitQuantityInfo& q : limit_quantities()) {
    for (const Scope scope : {Scope::state, Scope::whole, Scope::field}) {
      if (!q.fits(scope)) continue;
      Limit made;
      made.scope = scope;
      made.state = scope == Scope::state ? "Sleep" : "";
      made.quantity = q.id;
      made.statistic = q.usual;
      made.expect = 0.002;
      (q.at_least ? made.min : made.max) = 0.0025;
      INFO(q.key << " of " << static_cast<int>(scope));
      const std::string head = kBudget.substr(0, kBudget.find("# The rest"));
      const Budget back = parsed(head + limit_block(made, "d.duty.toml", "b.battery.toml"));
      REQUIRE(back.limits.size() == 1);
      const Limit& l = back.limits[0];
      CHECK(l.quantity == q.id);
      CHECK(l.scope == scope);
      CHECK(l.statistic == q.usual);
      CHECK(*l.expect == Approx(0.002));
      CHECK(*(q.at_least ? l.min : l.max) == Approx(0.0025));
      CHECK(l.battery.has_value() == q.needs_battery);
    }
  }
}

TEST_CASE("an edge of a rule takes its release along, another edge's release stays") {
  const Recipe recipe = parse_recipe(kRecipe, "t").recipe;
  const std::string text = set_rule_edge(kRecipe, "t", recipe, 0, BandEdge::below, 30e-6);
  const Band band = parse_recipe(text, "t").recipe.states[0].level;
  CHECK(band.high == Approx(30e-6));
  CHECK(band.release_high == Approx(60e-6));
  CHECK_THAT(text, Catch::Contains("# Quiet."));
  const std::string work = set_rule_edge(kRecipe, "t", recipe, 1, BandEdge::above, 2e-3);
  CHECK(changed(kRecipe, work) ==
        Lines{R"(-level = { above = "1 mA" })", R"(+level = { above = "2 mA" })"});
}

TEST_CASE("a rule is renamed, its lengths are set and taken away, and it goes") {
  const std::string named = rename_rule(kRecipe, "t", 1, "Quoted \"work\"");
  CHECK(parse_recipe(named, "t").recipe.states[1].name == "Quoted \"work\"");
  const std::string longer = set_rule_length(kRecipe, "t", 0, "join_gaps", 0.035);
  CHECK(parse_recipe(longer, "t").recipe.states[0].join_gaps_s == Approx(0.035));
  const std::string any = set_rule_length(kRecipe, "t", 1, "shortest", std::nullopt);
  CHECK(parse_recipe(any, "t").recipe.states[1].shortest_s == 0);
  const std::string less = remove_rule(kRecipe, "t", 0);
  CHECK(parse_recipe(less, "t").recipe.states.size() == 1);
  CHECK_THROWS_AS(remove_rule(kRecipe, "t", 7), Error);
}

TEST_CASE("a rule is put before another and moved, with the comments that are its own") {
  const auto names = [](const std::string& text) {
    std::vector<std::string> out;
    for (const StateRule& r : parse_recipe(text, "t").recipe.states) out.push_back(r.name);
    return out;
  };
  using Names = std::vector<std::string>;
  const std::string block = "[[state]]\nname = \"Locate\"\nlevel = { above = \"20 mA\" }\n";
  CHECK(names(insert_rule(kRecipe, "t", 0, block)) == Names{"Locate", "Sleep", "Work"});
  CHECK(names(insert_rule(kRecipe, "t", 1, block)) == Names{"Sleep", "Locate", "Work"});
  CHECK(names(insert_rule(kRecipe, "t", 2, block)) == Names{"Sleep", "Work", "Locate"});
  CHECK(names(insert_rule(kRecipe, "t", 9, block)) == Names{"Sleep", "Work", "Locate"});
  const std::string three = insert_rule(kRecipe, "t", 2, block);
  for (const auto& [from, to, want] : {std::tuple{0U, 2U, Names{"Work", "Locate", "Sleep"}},
                                       {2U, 0U, Names{"Locate", "Sleep", "Work"}},
                                       {1U, 0U, Names{"Work", "Sleep", "Locate"}},
                                       {1U, 1U, Names{"Sleep", "Work", "Locate"}}}) {
    const std::string moved = move_rule(three, "t", from, to);
    CHECK(names(moved) == want);
    // Its comment goes with it, and nothing of the rules is lost.
    CHECK(moved.find("# Quiet.\n[[state]]\nname = \"Sleep\"") != std::string::npos);
    for (const char* line : {"release = \"20 uA\"", "shortest = \"2 ms\"", "name = \"r\""})
      CHECK_THAT(moved, Catch::Contains(line));
  }
  CHECK_THROWS_AS(move_rule(kRecipe, "t", 5, 0), Error);
  CHECK_THROWS_AS(insert_rule("[[state", "t", 0, block), Error);
}

TEST_CASE(
    "an activity's interval replaces how often it was, a battery's value stands beside its note") {
  const DutyPlan plan = parse_duty(set_activity_interval(kDuty, "t", 0, 7200), "t");
  CHECK(plan.activities[0].rate_hz == Approx(1 / 7200.0));
  const std::string battery = set_battery_value(kBattery, "t", "capacity", "2400 mAh");
  CHECK(changed(kBattery, battery) ==
        Lines{R"(-capacity = "1 Ah"  # nominal)", R"(+capacity = "2400 mAh"  # nominal)"});
  CHECK(parse_battery(set_battery_value(kBattery, "t", "cutoff_reserve", "10 %"), "t").reserve ==
        Approx(0.1));
}

TEST_CASE("a duty plan is made by hand: activities come and go, the rest is chosen") {
  const std::string more = add_activity(kDuty, "t", {"Work", "Send \"now\""}, 900);
  const DutyPlan plan = parse_duty(more, "t");
  REQUIRE(plan.activities.size() == parse_duty(kDuty, "t").activities.size() + 1);
  CHECK(plan.activities.back().states == std::vector<std::string>{"Work", "Send \"now\""});
  CHECK(plan.activities.back().rate_hz == Approx(1 / 900.0));
  CHECK_THAT(more, Catch::Contains("# seasons differ"));
  CHECK(parse_duty(remove_activity(more, "t", plan.activities.size() - 1), "t").activities.size() ==
        plan.activities.size() - 1);
  CHECK_THROWS_AS(remove_activity(kDuty, "t", 9), Error);
  CHECK(parse_duty(set_rest(kDuty, "t", "Doze"), "t").rest == "Doze");
}

TEST_CASE("what a budget names is asked for by its kind, whatever its name") {
  std::string budget = kBudget;
  budget.replace(budget.find("d.duty.toml"), 11, "battery-life.toml");
  budget.replace(budget.find("b.battery.toml"), 14, "cell.toml");
  std::vector<std::pair<DocumentKind, std::string>> asked;
  parse_budget(budget, "t", [&](DocumentKind kind, const std::string& name) {
    asked.emplace_back(kind, name);
    return beside(kind, name);
  });
  CHECK(asked ==
        std::vector<std::pair<DocumentKind, std::string>>{{DocumentKind::duty, "battery-life.toml"},
                                                          {DocumentKind::battery, "cell.toml"}});
}
