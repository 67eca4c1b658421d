// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/budget.h"

#include "core/quantiles.h"

#include "studies/made_ledger.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

constexpr double kLevels[] = {100e-3, 101e-3, 99e-3, 100e-3};
const Basis kBasis{{0.0008, 40e-9, false}, 3.6, 1e-3};

/// Visits of a second each at these levels, between rests of ten seconds.
Ledger ledger(const std::vector<double>& levels = {std::begin(kLevels), std::end(kLevels)},
              Basis basis = kBasis) {
  test::MadeCapture c(basis);
  c.visit("Rest", 3e-6, 10, false);
  for (std::size_t i = 0; i < levels.size(); ++i)
    c.visit("Uplink", levels[i], 1).visit("Rest", 3e-6, 10, i + 1 < levels.size());
  return test::ledger_of(c);
}

LimitResult one(const Limit& limit, const Ledger& l) {
  static Budget budget;
  budget.limits = {limit};
  return check(budget, l).limits.front();
}

Limit state_limit(LimitQuantity quantity, double max, Statistic statistic = Statistic::mean) {
  Limit l;
  l.scope = Scope::state;
  l.state = "Uplink";
  l.quantity = quantity;
  l.max = max;
  l.statistic = statistic;
  return l;
}

}  // namespace

TEST_CASE("limits of a state are judged with their uncertainty") {
  const LimitResult r = one(state_limit(LimitQuantity::charge_per_visit, 0.115), ledger());
  CHECK(r.verdict == Verdict::within);
  CHECK(*r.measured == Approx(0.1));
  CHECK(*r.headroom == Approx(0.015));
  CHECK(r.U > 3.18 * 0.000408);
  CHECK(r.U < 2 * 3.18 * 0.000408);
  CHECK(one(state_limit(LimitQuantity::charge_per_visit, 0.1001), ledger()).verdict ==
        Verdict::too_close);
  CHECK(one(state_limit(LimitQuantity::charge_per_visit, 0.09), ledger()).verdict ==
        Verdict::outside);
}

TEST_CASE("the largest of the visits seen is told as such, and decides by itself") {
  const LimitResult r =
      one(state_limit(LimitQuantity::charge_per_visit, 0.2, Statistic::worst), ledger());
  CHECK(*r.measured == Approx(0.101));
  CHECK(r.note == "the largest of the 4 seen");
  CHECK(r.verdict == Verdict::within);
  CHECK(one(state_limit(LimitQuantity::peak_current, 0.1005, Statistic::worst), ledger()).verdict ==
        Verdict::outside);
}

TEST_CASE("a mean of peaks has their spread") {
  // Peaks of 100, 200 and 300 mA: 201 mA is inside what three of them leave open.
  const LimitResult r =
      one(state_limit(LimitQuantity::peak_current, 0.201), ledger({0.1, 0.2, 0.3}));
  CHECK(*r.measured == Approx(0.2));
  CHECK(r.U > 0.2);
  CHECK(r.verdict == Verdict::too_close);
}

TEST_CASE("a 95th percentile needs 59 visits to be within, and says so") {
  Limit l = state_limit(LimitQuantity::peak_current, 0.4, Statistic::p95);
  const LimitResult few = one(l, ledger({0.1, 0.2, 0.3}));
  CHECK(few.verdict == Verdict::too_close);
  CHECK(few.needed_visits == std::optional<std::size_t>(59));
  CHECK(one(l, ledger(std::vector<double>(58, 0.1))).verdict == Verdict::too_close);
  CHECK(one(l, ledger(std::vector<double>(59, 0.1))).verdict == Verdict::within);
  l.max = 0.05;
  CHECK(one(l, ledger(std::vector<double>(59, 0.1))).verdict == Verdict::outside);
}

TEST_CASE("order statistics of the 95th percentile are those of the binomial distribution") {
  // 0.95^59 = 0.0485 and 0.95^58 = 0.0510.
  std::vector<double> v;
  for (int i = 1; i <= 59; ++i) v.push_back(i);
  CHECK(*p95_bounds(v).high == 59);
  v.pop_back();
  CHECK_FALSE(p95_bounds(v).high);
  CHECK(*p95_bounds(v).low == 52);  // P(Bin(58, 0.95) >= 52) = 0.976, of 53: 0.933
  CHECK(quantile({1, 2, 3, 4}, 0.5) == Approx(2.5));
  CHECK(quantile({4, 1, 3}, 1) == 4);
}

TEST_CASE("energy per visit is at each capture's own voltage") {
  CHECK(*one(state_limit(LimitQuantity::energy_per_visit, 1), ledger()).measured == Approx(0.36));
  std::vector<test::MadeCapture> two{test::MadeCapture({{}, 1.8, 1e-3}),
                                     test::MadeCapture({{}, 3.6, 1e-3})};
  for (test::MadeCapture& c : two)
    c.visit("Rest", 1e-6, 1, false).visit("Uplink", 0.1, 1).visit("Rest", 1e-6, 1, false);
  CHECK(*one(state_limit(LimitQuantity::energy_per_visit, 1), test::ledger_of(two)).measured ==
        Approx(0.1 * (1.8 + 3.6) / 2));
  CHECK(one(state_limit(LimitQuantity::energy_per_visit, 1), ledger({0.1, 0.1}, {})).verdict ==
        Verdict::no_data);
}

TEST_CASE("no data is never a pass") {
  Limit l = state_limit(LimitQuantity::mean_current, 1);
  l.state = "Nowhere";
  const LimitResult r = one(l, ledger());
  CHECK(r.verdict == Verdict::no_data);
  CHECK_FALSE(r.measured);
  CHECK(r.note == "no visit to Nowhere");
}

TEST_CASE("what was clipped is never within on its open side, nor outside on the other") {
  Ledger l = ledger();
  LedgerRow& uplink = *std::find_if(l.rows.begin(), l.rows.end(),
                                    [](const LedgerRow& r) { return r.state == "Uplink"; });
  uplink.bounds.lower = true;
  for (const LimitQuantity q : {LimitQuantity::charge_per_visit, LimitQuantity::mean_current,
                                LimitQuantity::peak_current}) {
    CHECK(one(state_limit(q, 1), l).verdict == Verdict::too_close);
    CHECK(one(state_limit(q, 0.01), l).verdict == Verdict::outside);
    CHECK(one(state_limit(q, 0.01), l).bounds.lower);
  }
  uplink.bounds = {false, true};
  CHECK(one(state_limit(LimitQuantity::mean_current, 1), l).verdict == Verdict::within);
  CHECK(one(state_limit(LimitQuantity::mean_current, 0.01), l).verdict == Verdict::too_close);
}

TEST_CASE("one visit rests on accuracy and edges, and says so") {
  const LimitResult r = one(state_limit(LimitQuantity::charge_per_visit, 0.2), ledger({0.1}));
  CHECK(r.single_visit);
  CHECK(r.note == "single visit: accuracy and edges only");
}

TEST_CASE("an accuracy that nobody stated is said beside the verdict") {
  const LimitResult r =
      one(state_limit(LimitQuantity::mean_current, 1), ledger({0.1, 0.1, 0.1}, {}));
  CHECK_FALSE(r.accuracy_stated);
  CHECK(r.note == "accuracy not stated");
}

TEST_CASE("a verdict that is too close for want of visits tells how many would do") {
  const Ledger l = ledger({0.10, 0.12, 0.08, 0.11, 0.09});
  const LimitResult r = one(state_limit(LimitQuantity::charge_per_visit, 0.11), l);
  REQUIRE(r.verdict == Verdict::too_close);
  REQUIRE(r.needed_visits);
  CHECK(*r.needed_visits > 5);
  CHECK(*r.needed_visits < 60);
}

TEST_CASE("a field whose plan leaves out a state with charge is never within") {
  test::MadeCapture c(kBasis);
  c.visit("Rest", 3e-6, 10, false);
  for (int i = 0; i < 5; ++i)
    c.visit("Uplink", 0.1, 1)
        .visit("Rest", 3e-6, 10)
        .visit(kUnassigned, 20e-3, 1)
        .visit("Rest", 3e-6, 10);
  const Ledger l = test::ledger_of(c);
  Budget budget;
  Limit limit;
  limit.scope = Scope::field;
  limit.max = 1;
  limit.duty = DutyPlan{"Rest", {{0.001, {"Uplink"}}}, {}};
  budget.limits = {limit};
  const CheckResult result = check(budget, l);
  CHECK(result.limits[0].verdict == Verdict::too_close);
  REQUIRE(result.unnamed.size() == 1);
  CHECK(result.unnamed[0].state == kUnassigned);
  CHECK(result.unnamed[0].charge_share == Approx(0.1 / 0.6).epsilon(0.01));
  // Named in the plan, it is no hole any more.
  budget.limits[0].duty->activities.push_back({0.001, {kUnassigned}});
  CHECK(check(budget, l).limits[0].verdict == Verdict::within);
}

TEST_CASE("the peak that a budget allows is the greatest of its limits on peaks") {
  Budget budget;
  CHECK_FALSE(allowed_peak(budget));
  const auto add = [&](LimitQuantity quantity, std::optional<double> max) {
    Limit limit;
    limit.quantity = quantity;
    limit.max = max;
    budget.limits.push_back(limit);
  };
  add(LimitQuantity::mean_current, 5);
  add(LimitQuantity::peak_current, std::nullopt);  // only expected
  CHECK_FALSE(allowed_peak(budget));
  add(LimitQuantity::peak_current, 0.1);
  add(LimitQuantity::peak_current, 0.3);
  add(LimitQuantity::peak_current, 0.2);
  CHECK(allowed_peak(budget) == 0.3);
}
