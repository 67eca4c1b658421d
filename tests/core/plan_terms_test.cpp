// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan_terms.h"

#include "studies/made_ledger.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

Ledger ledger() {
  test::MadeCapture c;
  c.visit("Rest", 3e-6, 10, false);
  for (int i = 0; i < 4; ++i) c.visit("Work", 5e-3, 2).visit("Rest", 3e-6, 10, i < 3);
  c.visit("Hold", 7e-3, 4, false);
  return test::ledger_of(c);
}

}  // namespace

TEST_CASE("a term has the visits' own charge and length until a length is held") {
  std::vector<std::string> missing;
  const Ledger l = ledger();
  const DutyPlan plan{"Rest", {{0.01, {"Work"}}}, {}};
  const auto free = plan_terms(plan, l, {}, missing);
  REQUIRE(free.size() == 1);
  CHECK(free[0].length() == Approx(2));
  CHECK(free[0].charge() == Approx(10e-3));
  CHECK_FALSE(free[0].held);
  const auto common = plan_terms(plan, l, {{"Work", 3.0}}, missing);
  CHECK(common[0].length() == 3);
  CHECK(common[0].charge() == Approx(15e-3));
  CHECK_FALSE(common[0].given);
  // What the plan gives goes before what is common.
  const auto given =
      plan_terms({"Rest", {{0.01, {"Work"}, {{"Work", 1.0}}}}, {}}, l, {{"Work", 3.0}}, missing);
  CHECK(given[0].charge() == Approx(5e-3));
  CHECK(given[0].given);
  CHECK(missing.empty());
}

TEST_CASE("a state that was never seen from end to end has no term, but at a held length") {
  std::vector<std::string> missing;
  const Ledger l = ledger();
  const DutyPlan plan{"Rest", {{0.01, {"Hold", "Work"}}, {0.02, {"Hold", "Nowhere"}}}, {}};
  const auto terms = plan_terms(plan, l, {}, missing);
  REQUIRE(terms.size() == 1);
  CHECK(terms[0].state == "Work");
  CHECK(missing == std::vector<std::string>{"Hold", "Nowhere"});
  missing.clear();
  const auto held = plan_terms(plan, l, {{"Hold", 2.0}}, missing);
  REQUIRE(held.size() == 3);
  CHECK(held[0].charge() == Approx(14e-3));
  CHECK(held[2].activity == 1);
  CHECK(missing == std::vector<std::string>{"Nowhere"});
}
