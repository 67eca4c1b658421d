// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/ledger.h"

#include "core/compensated_sum.h"
#include "core/measure.h"
#include "core/state_split.h"

#include "studies/made_ledger.h"
#include "support.h"
#include "two_states.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::kTwo;
using test::rounds;

TEST_CASE("the ledger's rows add up to the whole on random traces and recipes") {
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 60; ++round) {
    const MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::instant : SampleKind::averaged, round % 3 == 0);
    if (!(trace.to_s() > trace.from_s())) continue;
    Recipe recipe;
    for (int i = 0; i < 4; ++i) {
      const double low = std::pow(10, -7 + 6 * unit(random)), high = low * 30;
      recipe.states.push_back({"S" + std::to_string(i),
                               {low, high, low / 2, high * 2},
                               unit(random) * 0.03,
                               unit(random) * 0.03});
    }
    const Ledger ledger = make_ledger({{&trace, measure_visits(trace, split(trace, recipe))}});
    Sum charge, time;
    for (const LedgerRow& row : ledger.rows) {
      charge += row.charge;
      time += row.time_s;
    }
    REQUIRE(std::fabs(charge.value() - measure(trace).charge) <=
            1e-9 * test::absolute_charge(trace));
    REQUIRE(time.value() == Approx(trace.to_s() - trace.from_s()).epsilon(1e-9));
    REQUIRE(ledger.find(kUnassigned));
    REQUIRE(ledger.missing_s == Approx(measure(trace).missing_s).margin(1e-9));
  }
}

TEST_CASE("visits cut by the capture's ends are in the ledger but not in per-visit figures") {
  const MemoryTrace trace = rounds({5e-3, 6e-3, 7e-3});
  const Ledger ledger = make_ledger(
      {{&trace, measure_visits(trace, split(trace, kTwo)), {{0.001, 1e-8, false}, 3.6, 1e-3}}});
  const LedgerRow& work = *ledger.find("Work");
  CHECK(work.visits == 3);
  CHECK(work.whole_visits == 3);
  CHECK(work.charge_per_visit.mean == Approx(0.6e-3));
  CHECK(work.charge_per_visit.sd == Approx(0.1e-3));
  CHECK(work.charge_per_visit.freedom == 2);
  CHECK(*work.peak == 7e-3);
  CHECK(*work.energy == Approx(3.6 * 1.8e-3));
  const LedgerRow& sleep = *ledger.find("Sleep");
  CHECK(sleep.visits == 4);
  CHECK(sleep.whole_visits == 2);
  CHECK(*sleep.mean == Approx(2e-6));
  CHECK(ledger.longest()->state == "Sleep");
  CHECK(ledger.rows.front().state == "Work");
}

TEST_CASE("Off stays out of the mean") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(1000, 0.0);
  values.insert(values.end(), 1000, 4e-3);
  trace.append(0, 1, values);
  const Ledger ledger =
      make_ledger({{&trace, measure_visits(trace, {{kOff, 0, 1, false}, {"Work", 1, 2, false}})}});
  CHECK(*ledger.mean == Approx(4e-3));
  CHECK(ledger.off_s == Approx(1));
  CHECK(ledger.time_s == Approx(2));
}

TEST_CASE("each capture counts by its own accuracy, in whatever order") {
  const auto pooled = [](bool swapped) {
    std::vector<test::MadeCapture> two;
    for (const double offset : {10e-9, 1000e-9}) {
      test::MadeCapture c({{0.001, offset, false}, offset < 1e-7 ? 1.8 : 3.6, 1e-3});
      c.visit("Sleep", 3e-6, 10, false).visit("Work", 1e-3, 1).visit("Sleep", 3e-6, 10);
      c.visit("Work", 1e-3, 1).visit("Sleep", 3e-6, 10, false);
      two.push_back(std::move(c));
    }
    if (swapped) std::swap(two[0], two[1]);
    return test::ledger_of(two);
  };
  const Ledger a = pooled(false), b = pooled(true);
  CHECK(a.find("Sleep")->accuracy.offset == Approx(505e-9));
  CHECK(a.find("Sleep")->mean_u.U == Approx(b.find("Sleep")->mean_u.U));
  CHECK(*a.find("Work")->energy == Approx(2e-3 * (1.8 + 3.6)));
  CHECK(*b.find("Work")->energy == Approx(*a.find("Work")->energy));
}

TEST_CASE("stays that are long but not whole tell their spread by batches") {
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  for (int i = 0; i < 4000; ++i) values.push_back(3e-6 * (1 + 0.3 * normal(random)));
  for (int i = 0; i < 50; ++i) values.push_back(5e-3);
  for (int i = 0; i < 4000; ++i) values.push_back(3e-6 * (1 + 0.3 * normal(random)));
  trace.append(0, 1, values);
  const Ledger ledger = make_ledger({{&trace, measure_visits(trace, split(trace, kTwo))}});
  const LedgerRow& sleep = *ledger.find("Sleep");
  CHECK(sleep.whole_visits == 0);
  CHECK(sleep.spread == SpreadOf::batches);
  // 8000 samples of 0.9 uA: 10 nA, twice that at 95 %.
  CHECK(sleep.mean_u.U == Approx(1.98 * 0.9e-6 / std::sqrt(8000.0)).epsilon(0.2));
}
