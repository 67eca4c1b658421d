// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/lifetime.h"

#include "core/duty.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio;

namespace {
constexpr double kYear = 365.25 * 86400;

/// dC/dt = -I - kC step by step (midpoint rule).
double step_by_step(const Battery& b, double mean, double once) {
  double c = b.capacity_c - once, t = 0;
  const double end = b.capacity_c - b.usable_c(), h = 3600;
  while (c > end) {
    const double middle = c - h / 2 * (mean + b.self_discharge_hz * c);
    const double next = c - h * (mean + b.self_discharge_hz * middle);
    if (next <= end) return t + h * (c - end) / (c - next);
    c = next;
    t += h;
  }
  return t;
}
}  // namespace

TEST_CASE("a life in closed form equals one gone through step by step") {
  Battery b;
  b.capacity_c = 4320;
  b.reserve = 0.05;
  b.self_discharge_hz = self_discharge_rate(0.01, kYear);
  for (const double mean : {45e-6, 80e-6, 1e-3}) {
    CHECK(*life(b, mean, 0.02) == Approx(step_by_step(b, mean, 0.02)).epsilon(1e-6));
  }
  b.self_discharge_hz = 0;
  CHECK(*life(b, 45e-6) == Approx(4320 * 0.95 / 45e-6));
  CHECK_FALSE(life(b, 0));
  CHECK(*life(b, 45e-6, 5000) == 0);
}

TEST_CASE("the needed capacity gives the wanted life back") {
  Battery b;
  b.capacity_c = 4320;
  b.reserve = 0.05;
  b.margin = 0.1;
  b.self_discharge_hz = self_discharge_rate(0.02, kYear);
  const auto needed = needed_capacity(b, 50e-6, 3 * kYear, 0.02);
  REQUIRE(needed);
  b.capacity_c = *needed;
  CHECK(*life(b, 50e-6, 0.02) == Approx(3 * kYear).epsilon(1e-9));
  CHECK_FALSE(needed_capacity(b, 50e-6, 200 * kYear));
}

TEST_CASE("self-discharge per year is an exponential") {
  const double k = self_discharge_rate(0.1, kYear);
  CHECK(std::exp(-k * kYear) == Approx(0.9));
}

namespace {
Ledger ledger_with(double busy_charge, double busy_s) {
  Ledger out;
  LedgerRow work;
  work.state = "Work";
  work.visits = work.whole_visits = 3;
  work.charges = {busy_charge, busy_charge, busy_charge};
  work.lengths = {busy_s, busy_s, busy_s};
  work.charge_per_visit = repeatability(work.charges);
  work.visit_length = repeatability(work.lengths);
  work.mean = busy_charge / busy_s;
  LedgerRow rest;
  rest.state = "Rest";
  rest.visits = 4;
  rest.mean = 3e-6;
  out.rows = {work, rest};
  return out;
}
}  // namespace

TEST_CASE("the rest current fills only what the rounds leave") {
  const FieldMean m = field_mean({"Rest", {{0.1, {"Work"}}}, {"Work"}}, ledger_with(1e-3, 2));
  CHECK(m.mean == Approx(0.1 * 1e-3 + 3e-6 * 0.8));
  CHECK(m.once_charge == Approx(1e-3));
  double sum = 0;
  for (const Share& s : m.shares) sum += s.current;
  CHECK(sum == Approx(m.mean));
}

TEST_CASE("rounds that take more time than there is are an error, a missing state is no data") {
  CHECK_THROWS_AS(field_mean({"Rest", {{0.6, {"Work"}}}, {}}, ledger_with(1e-3, 2)),
                  std::domain_error);
  CHECK(field_mean({"Rest", {{0.1, {"Nowhere"}}}, {}}, ledger_with(1e-3, 2)).missing ==
        std::vector<std::string>{"Nowhere"});
}

namespace {

/// Ten rounds of a second's work in 10 s of rest, after one boot; 1 kS/s.
struct Captured {
  MemoryTrace trace{SampleKind::averaged, {1, 1000}};
  std::vector<VisitFigures> visits;
  Ledger ledger;
  Captured() {
    std::vector<double> values;
    Visits all;
    const auto stay = [&](const char* state, double level, int ms, bool whole) {
      const double from = static_cast<double>(values.size()) / 1000;
      for (int i = 0; i < ms; ++i) values.push_back(level);
      all.push_back({state, from, static_cast<double>(values.size()) / 1000, whole});
    };
    stay("Boot", 20e-3, 500, true);
    for (int i = 0; i < 10; ++i) {
      stay("Rest", 10e-6, 9000, true);
      stay("Work", 5e-3, 600, true);
      stay("Send", 50e-3, 400, true);
    }
    stay("Rest", 10e-6, 9000, false);
    trace.append(0, 1, values);
    visits = measure_visits(trace, all);
    ledger = make_ledger({{&trace, visits}}, {});
  }
};

}  // namespace

TEST_CASE("a capture's own mean is that of its whole cycles") {
  const Captured c;
  const FieldMean mean = captured_mean(c.trace, c.visits, c.ledger);
  // A cycle: 9 s at 10 uA, 0.6 s at 5 mA, 0.4 s at 50 mA, every 10 s; the boot stays out.
  CHECK(mean.mean == Approx((9 * 10e-6 + 0.6 * 5e-3 + 0.4 * 50e-3) / 10));
  double sum = 0;
  for (const Share& s : mean.shares) sum += s.current;
  CHECK(sum == Approx(mean.mean));
}

TEST_CASE("a capture makes a first duty plan: its rounds as often as they came") {
  const Captured c;
  const DutyPlan plan = plan_of(c.ledger, c.visits);
  CHECK(plan.rest == "Rest");
  CHECK(plan.once == std::vector<std::string>{"Boot"});
  REQUIRE(plan.rounds.size() == 1);
  CHECK(plan.rounds[0].states == std::vector<std::string>{"Work", "Send"});
  CHECK(plan.rounds[0].rate_hz == Approx(10 / c.ledger.observed_s()));
  // Played back, the plan gives about the capture's mean.
  const FieldMean field = field_mean(plan, c.ledger);
  CHECK(field.mean == Approx(captured_mean(c.trace, c.visits, c.ledger).mean).epsilon(0.1));
  CHECK(field.once_charge == Approx(20e-3 * 0.5));
}

TEST_CASE("rounds that differ are told apart by what is gone through between two rests") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  Visits all;
  const auto stay = [&](const char* state, double level, int ms) {
    const double from = static_cast<double>(values.size()) / 1000;
    for (int i = 0; i < ms; ++i) values.push_back(level);
    all.push_back({state, from, static_cast<double>(values.size()) / 1000, true});
  };
  for (int i = 0; i < 8; ++i) {
    stay("Rest", 3e-6, 5000);
    stay("Wake", 4e-3, 40);
    if (i % 4 == 3) {
      stay("Send", 60e-3, 500);
    } else {
      stay("Sense", 1e-3, 300);
    }
  }
  stay("Rest", 3e-6, 5000);
  trace.append(0, 1, values);
  const auto visits = measure_visits(trace, all);
  const Ledger ledger = make_ledger({{&trace, visits}}, {});
  const DutyPlan plan = plan_of(ledger, visits);
  REQUIRE(plan.rounds.size() == 2);
  CHECK(plan.rounds[0].states == std::vector<std::string>{"Wake", "Sense"});
  CHECK(plan.rounds[0].rate_hz == Approx(6 / ledger.observed_s()));
  CHECK(plan.rounds[1].states == std::vector<std::string>{"Wake", "Send"});
  // As often as captured they draw what was captured.
  CHECK(field_mean(plan, ledger).mean == Approx(*ledger.mean).epsilon(1e-9));
}
