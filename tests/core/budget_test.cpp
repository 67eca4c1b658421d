// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/budget.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

Ledger ledger() {
  Ledger out;
  out.basis = {{0.0008, 40e-9, false}, 3.6, 1e-3};
  LedgerRow row;
  row.state = "Uplink";
  row.visits = row.whole_visits = 4;
  row.charges = {0.100, 0.101, 0.099, 0.100};
  row.lengths = {1.5, 1.5, 1.5, 1.5};
  row.peaks = {0.22, 0.23, 0.21, 0.22};
  row.peak = 0.23;
  row.mean = 0.1 / 1.5;
  row.level = ratio_of_sums(row.charges, row.lengths);
  row.charge_per_visit = repeatability(row.charges);
  row.visit_length = repeatability(row.lengths);
  out.rows = {row};
  out.mean = 1e-3;
  out.time_s = 100;
  return out;
}

LimitResult one(const Limit& limit, const Ledger& l) {
  static Budget budget;
  budget.limits = {limit};
  return check(budget, l).limits.front();
}

Limit state_limit(LimitQuantity quantity, double max) {
  Limit l;
  l.scope = Scope::state;
  l.state = "Uplink";
  l.quantity = quantity;
  l.max = max;
  return l;
}

}  // namespace

TEST_CASE("limits of a state are judged with their uncertainty") {
  const LimitResult r = one(state_limit(LimitQuantity::charge_per_visit, 0.115), ledger());
  CHECK(r.verdict == Verdict::within);
  CHECK(*r.measured == Approx(0.1));
  CHECK(*r.headroom == Approx(0.015));
  CHECK(r.U == Approx(3.18 * 0.000408).epsilon(0.05));
  CHECK(one(state_limit(LimitQuantity::charge_per_visit, 0.1001), ledger()).verdict ==
        Verdict::too_close);
  CHECK(one(state_limit(LimitQuantity::charge_per_visit, 0.09), ledger()).verdict == Verdict::over);
}

TEST_CASE("the worst visit, the 95th percentile and the energy can be limited") {
  Limit worst = state_limit(LimitQuantity::charge_per_visit, 0.2);
  worst.of = Of::worst;
  CHECK(*one(worst, ledger()).measured == Approx(0.101));
  Limit p95 = state_limit(LimitQuantity::peak_current, 0.2);
  p95.of = Of::p95;
  CHECK(*one(p95, ledger()).measured == Approx(0.2285));
  CHECK(*one(state_limit(LimitQuantity::energy_per_visit, 1), ledger()).measured == Approx(0.36));
}

TEST_CASE("no data is never a pass") {
  Limit l = state_limit(LimitQuantity::mean_current, 1);
  l.state = "Nowhere";
  const LimitResult r = one(l, ledger());
  CHECK(r.verdict == Verdict::no_data);
  CHECK_FALSE(r.measured);
  CHECK(r.note == "no visit to Nowhere");
}

TEST_CASE("a lower bound is never within") {
  Ledger l = ledger();
  l.rows[0].lower_bound = true;
  CHECK(one(state_limit(LimitQuantity::charge_per_visit, 1), l).verdict == Verdict::too_close);
  CHECK(one(state_limit(LimitQuantity::charge_per_visit, 0.01), l).verdict == Verdict::over);
}

TEST_CASE("one visit rests on the accuracy alone, and says so") {
  Ledger l = ledger();
  l.rows[0].whole_visits = 1;
  l.rows[0].charges.resize(1);
  l.rows[0].charge_per_visit = repeatability(l.rows[0].charges);
  const LimitResult r = one(state_limit(LimitQuantity::charge_per_visit, 0.2), l);
  CHECK(r.single_visit);
  CHECK(r.note == "single visit: accuracy only");
}
