// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visits_on.h"

#include "core/ledger.h"
#include "core/measure.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {
const Visits kVisits{{"Rest", 0, 2, false},   {"Up", 2, 3},
                     {"Rest", 3, 5},          {"Up", 5, 6, false},
                     {kMissing, 6, 7, false}, {"Rest", 7, 9, false}};

/// Averaged samples of 100 ms, from a moment on: 1 A while up by kVisits, 0.1 A else.
void add(MemoryTrace& trace, double from_s, double to_s) {
  std::vector<double> values;
  for (double t = from_s; t < to_s - 1e-9; t += 0.1) {
    const bool up = (t > 1.95 && t < 2.95) || (t > 4.95 && t < 5.95);
    values.push_back(up ? 1 : 0.1);
  }
  trace.append(std::llround(from_s * 1000), 100, values);
}
}  // namespace

TEST_CASE("visits of one channel are accounted for on another, and its ledger closes") {
  MemoryTrace other(SampleKind::averaged, {1, 1000});
  add(other, 1, 4);
  add(other, 4.5, 10);
  const Visits on = visits_on(other, kVisits);
  std::string told;
  for (const Visit& v : on) told += v.state + (v.whole ? "! " : " ");
  CHECK(told == "Rest Up! Rest Missing Rest Up Unassigned Rest Unassigned ");
  CHECK(on.front().from_s == 1);
  CHECK(on.back().to_s == Approx(10));
  for (std::size_t i = 1; i < on.size(); ++i) CHECK(on[i].from_s == on[i - 1].to_s);

  const Ledger ledger = make_ledger({{&other, measure_visits(other, on)}});
  const double all = measure(other).charge;
  double sum = 0;
  for (const LedgerRow& r : ledger.rows) sum += r.charge;
  CHECK(sum == Approx(all).epsilon(1e-12));
  CHECK(ledger.find("Up")->charge == Approx(2.0));
  CHECK(ledger.find("Up")->whole_visits == 1);  // the other one meets a gap of the first channel
  CHECK(ledger.find("Rest")->charge == Approx(0.1 * (1 + 1 + 0.5 + 2)));
  CHECK(ledger.find(kUnassigned)->time_s == Approx(2));
  CHECK(ledger.missing_s == Approx(0.5));
}

TEST_CASE("edges inside the other channel's samples share them by time") {
  MemoryTrace slow(SampleKind::averaged, {1, 1});
  slow.append(0, 4, std::vector<double>{1, 3});  // 0 to 4 s, 4 to 8 s
  const Visits on = visits_on(slow, kVisits);
  const auto figures = measure_visits(slow, on);
  double up = 0, all = 0;
  for (const VisitFigures& f : figures) {
    up += f.visit.state == "Up" ? f.charge : 0;
    all += f.charge;
  }
  CHECK(up == Approx(1 + 3));
  CHECK(all == Approx(16));
}

TEST_CASE("a channel that none of the visits meets is unassigned as a whole") {
  MemoryTrace late(SampleKind::averaged, {1, 1});
  late.append(100, 1, std::vector<double>{1, 2, 3});
  const Visits on = visits_on(late, kVisits);
  REQUIRE(on.size() == 1);
  CHECK(on[0].state == kUnassigned);
  CHECK(on[0].from_s == 100);
  CHECK(on[0].to_s == 103);
  CHECK(visits_on(late, {}).size() == 1);
}

TEST_CASE("the ledger of another channel closes whatever its gaps and the visits are") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  const auto between = [&](double a, double b) {
    return std::uniform_real_distribution(a, b)(chance);
  };
  for (int run = 0; run < 300; ++run) {
    INFO("seed " << seed << ", run " << run);
    Visits visits;
    const char* const states[] = {"Rest", "Up", "Down", kMissing, kUnassigned, kOff};
    for (double t = between(0, 3); t < 20;) {
      const double to = t + between(0.01, 2);
      visits.push_back({states[std::uniform_int_distribution(0, 5)(chance)], t, to});
      t = to;
    }
    MemoryTrace other(run % 2 ? SampleKind::averaged : SampleKind::instant, {1, 1000});
    std::int64_t at = std::uniform_int_distribution(0, 4000)(chance);
    while (at < 22000) {
      const auto n = std::uniform_int_distribution<std::size_t>(1, 60)(chance);
      std::vector<double> values(n);
      for (double& v : values) v = between(-0.1, 1);
      other.append(at, 50, values);
      at += static_cast<std::int64_t>(n) * 50 +
            (run % 3 ? std::uniform_int_distribution(1, 3000)(chance) : 0);
    }
    const Visits on = visits_on(other, visits);
    REQUIRE_FALSE(on.empty());
    CHECK(on.front().from_s == other.from_s());
    CHECK(on.back().to_s == other.to_s());
    for (std::size_t i = 1; i < on.size(); ++i) REQUIRE(on[i].from_s == on[i - 1].to_s);
    double sum = 0, size = 0;
    for (const VisitFigures& f : measure_visits(other, on)) {
      sum += f.charge;
      size += std::abs(f.charge);
      if (f.visit.state == kMissing) CHECK(f.charge == 0);
    }
    CHECK(sum == Approx(measure(other).charge).margin(1e-12 * size));
  }
}
