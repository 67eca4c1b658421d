// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/ledger.h"

#include "core/compensated_sum.h"
#include "core/edits.h"
#include "core/measure.h"
#include "core/state_split.h"

#include "studies/made_ledger.h"
#include "support.h"
#include "two_states.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::kTwo;
using test::rounds;

namespace {

Recipe random_recipe(std::mt19937_64& random) {
  std::uniform_real_distribution<double> unit(0, 1);
  Recipe out;
  for (int i = 0; i < 4; ++i) {
    const double low = std::pow(10, -7 + 6 * unit(random)), high = low * 30;
    out.states.push_back({"S" + std::to_string(i),
                          {low, high, low / 2, high * 2},
                          unit(random) * 0.03,
                          unit(random) * 0.03});
  }
  if (unit(random) < 0.3) {
    out.smooth.over_s = 0.001 + 0.02 * unit(random);
    out.smooth.take = static_cast<Smoothing::Take>(random() % 3);
  }
  return out;
}

/// Corrections by hand, each made where the visits stood then.
Visits edited(const Visits& visits, const Trace& trace, std::mt19937_64& random) {
  std::uniform_real_distribution<double> at(trace.from_s(), trace.to_s());
  const std::string states[] = {"S0", "S1", "S2", "By hand", kUnassigned};
  std::vector<Edit> edits;
  Visits now = visits;
  for (std::size_t n = random() % 8; n > 0 && now.size() > 1; --n) {
    Edit e;
    e.kind = static_cast<Edit::Kind>(random() % 6);
    const std::size_t k = 1 + random() % (now.size() - 1);
    const bool of_edge = e.kind == Edit::Kind::move || e.kind == Edit::Kind::join;
    e.at_s = of_edge ? now[k].from_s : nearest_edge(trace, at(random));
    e.to_s = nearest_edge(trace, at(random));
    e.state = states[random() % 5];
    e.before = of_edge ? now[k - 1].state : states[random() % 5];
    e.after = now[k].state;
    edits.push_back(e);
    now = apply_edits(visits, edits, 0.1).visits;
  }
  return now;
}

}  // namespace

TEST_CASE("the ledger closes on a thousand random traces, recipes and corrections by hand") {
  const unsigned seed = std::random_device{}();
  CAPTURE(seed);
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> unit(0, 1);
  std::size_t cut = 0, whole = 0, by_hand = 0;
  for (int round = 0; round < 1000; ++round) {
    MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::instant : SampleKind::averaged, round % 3 == 0);
    if (!(trace.to_s() > trace.from_s())) continue;
    for (std::size_t i = 1; i < trace.blocks().size(); ++i) {  // samples that are none, in gaps
      const double from = trace.time_base().seconds(trace.blocks()[i - 1].end),
                   to = trace.time_base().seconds(trace.blocks()[i].start);
      const Flag flag = random() % 2 ? Flag::over_range : Flag::not_a_number;
      if (random() % 2) trace.flag({flag, from, from + (to - from) * unit(random), 3});
    }
    const Visits visits = edited(split(trace, random_recipe(random)), trace, random);
    const std::vector<VisitFigures> figures = measure_visits(trace, visits);
    const Ledger ledger = make_ledger({{&trace, figures}});
    Sum charge, time;
    for (const LedgerRow& row : ledger.rows) {
      charge += row.charge;
      time += row.time_s;
      by_hand += row.state == "By hand" ? row.visits : 0;
      // Cut ones are in the row, and in no figure per visit.
      Sum per_visit;
      std::size_t n = 0;
      bool goes_on = false;  // through a stretch out of range: two are one
      for (std::size_t i = 0; i < figures.size(); ++i) {
        if (figures[i].visit.state != row.state || row.state == kMissing) continue;
        goes_on |= figures[i].visit.continues;
        const bool counts = figures[i].visit.whole && is_whole(visits, i);
        counts ? ++whole : ++cut;
        if (!counts) continue;
        per_visit += figures[i].charge;
        ++n;
      }
      if (row.state == kMissing || row.state == kOff || goes_on) continue;
      REQUIRE(row.whole_visits == n);
      if (n > 0)
        REQUIRE(row.charge_per_visit.mean * static_cast<double>(n) ==
                Approx(per_visit.value()).margin(1e-12 * test::absolute_charge(trace)));
    }
    REQUIRE(std::fabs(charge.value() - measure(trace).charge) <=
            1e-9 * test::absolute_charge(trace));
    REQUIRE(time.value() == Approx(trace.to_s() - trace.from_s()).epsilon(1e-9));
    REQUIRE(ledger.find(kUnassigned));
    REQUIRE(ledger.missing_s == Approx(measure(trace).missing_s).margin(1e-9));
  }
  CHECK(cut > 1000);
  CHECK(whole > 1000);
  CHECK(by_hand > 100);
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
