// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/lifetime.h"

#include "core/duty.h"
#include "core/rounds.h"

#include "studies/made_ledger.h"

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
    ledger = make_ledger({{&trace, visits}});
  }
};

}  // namespace

TEST_CASE("a capture's own mean is that of its whole cycles") {
  const Captured c;
  const FieldMean mean = captured_mean(c.ledger);
  // A cycle: 9 s at 10 uA, 0.6 s at 5 mA, 0.4 s at 50 mA, every 10 s; the boot stays out.
  CHECK(mean.mean == Approx((9 * 10e-6 + 0.6 * 5e-3 + 0.4 * 50e-3) / 10));
  double sum = 0;
  for (const Share& s : mean.shares) sum += s.current;
  CHECK(sum == Approx(mean.mean));
}

TEST_CASE("a capture makes a first duty plan: its rounds as often as they came") {
  const Captured c;
  const DutyPlan plan = plan_of(c.ledger);
  CHECK(plan.rest == "Rest");
  CHECK(plan.once == std::vector<std::string>{"Boot"});
  REQUIRE(plan.activities.size() == 1);
  CHECK(plan.activities[0].states == std::vector<std::string>{"Work", "Send"});
  CHECK(plan.activities[0].rate_hz == Approx(0.1));
  // Played back, the plan gives the capture's mean.
  const FieldMean field = field_mean(plan, c.ledger);
  CHECK(field.mean == Approx(captured_mean(c.ledger).mean).epsilon(1e-9));
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
  const Ledger ledger = make_ledger({{&trace, visits}});
  const DutyPlan plan = plan_of(ledger);
  REQUIRE(plan.activities.size() == 2);
  CHECK(plan.activities[0].states == std::vector<std::string>{"Wake", "Sense"});
  // Seven rounds between eight entries into the rest: five of one kind, two of the other.
  const double time = 5 * 5.34 + 2 * 5.54;
  CHECK(plan.activities[0].rate_hz == Approx(5 / time).epsilon(1e-3));
  CHECK(plan.activities[1].states == std::vector<std::string>{"Wake", "Send"});
  CHECK(field_mean(plan, ledger).mean == Approx(captured_mean(ledger).mean).epsilon(1e-9));
}

TEST_CASE("a mean over whole cycles counts no gap as observed") {
  test::MadeCapture c;
  const auto cycles = [&](bool first) {
    c.visit("Rest", 10e-6, 1, !first);
    for (int i = 0; i < 10; ++i) c.visit("Work", 5e-3, 0.1).visit("Rest", 10e-6, 0.9);
    c.visit("Work", 5e-3, 0.1, false);
  };
  cycles(true);
  c.visit(kMissing, 0, 100, false);
  c.figures().back().observed_s = 0;
  cycles(false);
  const FieldMean mean = captured_mean(test::ledger_of(c));
  CHECK(mean.mean == Approx(0.1 * 5e-3 + 0.9 * 10e-6));
  // Nor does a plan made of it join what lies before and behind the gap to a round.
  const DutyPlan plan = plan_of(test::ledger_of(c));
  REQUIRE(plan.activities.size() == 1);
  CHECK(plan.activities[0].states == std::vector<std::string>{"Work"});
  CHECK(plan.activities[0].rate_hz == Approx(1));
}

TEST_CASE("uneven periods of a steady current leave its mean sharp") {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> period(1, 20);
  std::normal_distribution<double> normal;
  test::MadeCapture c;
  c.visit("Rest", 50e-6, 5, false);
  for (int i = 0; i < 30; ++i)
    c.visit("Tick", 50e-6 * (1 + 0.01 * normal(random)), 0.1).visit("Rest", 50e-6, period(random));
  c.visit("Tick", 50e-6, 0.1, false);
  const FieldMean mean = captured_mean(test::ledger_of(c));
  CHECK(mean.mean == Approx(50e-6).epsilon(1e-3));
  CHECK(mean.mean_u.U < 0.5e-6);
}

namespace {

/// The demo's hour: sixty small rounds of 2 mC and three of 300 mC, whose lengths vary.
FieldMean rare_rounds() {
  test::MadeCapture c({{0.0008, 40e-9, false}, 3.6, 1e-3});
  const double large[] = {200e-3, 300e-3, 400e-3};
  c.visit("Rest", 3e-6, 20, false).visit("Work", 2e-3, 1);
  for (int i = 0; i < 63; ++i) {
    c.visit("Rest", 3e-6, 56);
    if (i % 21 == 10) {
      c.visit("Send", large[i / 21] / 5, 5);
    } else {
      c.visit("Work", 2e-3, 1);
    }
  }
  c.visit("Rest", 3e-6, 20, false);
  return captured_mean(test::ledger_of(c));
}

}  // namespace

TEST_CASE("a life decided by three rare rounds is told with an interval of its own law") {
  const FieldMean mean = rare_rounds();
  const double time = 60 * 57 + 3 * 61.0;
  CHECK(mean.mean ==
        Approx((60 * (2e-3 + 56 * 3e-6) + 3 * 0.3 + 3 * 56 * 3e-6) / time).epsilon(1e-6));
  // s = 100 mC among the three: u = 100 mC sqrt(3)/T, t(2) = 4.30.
  CHECK(mean.mean_u.U == Approx(4.3027 * 0.1 * std::sqrt(3.0) / time).epsilon(0.02));
  CHECK(mean.decided_by.find("3 rounds of Send") == 0);
  CHECK(mean.single.empty());
  Battery cell;
  cell.capacity_c = 4320;
  cell.reserve = 0.05;
  cell.self_discharge_hz = self_discharge_rate(0.01, kYear);
  const LifeInterval life = life_interval(mean, cell);
  REQUIRE((life.life && life.low && life.high && life.chance_low && life.chance_high));
  CHECK_FALSE(life.unlimited);
  // On a logarithmic scale: as far down as up, and nowhere near what self-discharge alone leaves.
  CHECK(*life.life / *life.low == Approx(std::exp(mean.mean_u.U / mean.mean)).epsilon(0.01));
  CHECK(*life.high / *life.life == Approx(std::exp(mean.mean_u.U / mean.mean)).epsilon(0.01));
  CHECK(*life.high < kYear);
  // Left to chance, three events may have been 0.6 to 8.8 (exact Poisson limits).
  CHECK(mean.by_chance->high > mean.mean * 2);
  CHECK(mean.by_chance->low > 40e-6);  // what the sixty and half a large one draw
  CHECK(*life.chance_low < *life.low);
  CHECK(judge_life(life, *life.low * 0.99) == Verdict::within);
  CHECK(judge_life(life, *life.low * 0.99, Counts::chance) == Verdict::too_close);
}

TEST_CASE("a kind of round that was met once is named, and nothing on it is within") {
  test::MadeCapture c;
  c.visit("Rest", 3e-6, 20, false).visit("Work", 2e-3, 1);
  for (int i = 0; i < 10; ++i) c.visit("Rest", 3e-6, 50).visit(i == 5 ? "Send" : "Work", 2e-3, 5);
  c.visit("Rest", 3e-6, 20, false);
  const FieldMean mean = captured_mean(test::ledger_of(c));
  REQUIRE(mean.single == std::vector<std::string>{"Send"});
  CHECK(mean.single_share == Approx(0.1).epsilon(0.05));
  Battery cell;
  cell.capacity_c = 4320;
  const LifeInterval life = life_interval(mean, cell);
  if (mean.single_share > 0.1) CHECK(judge_life(life, 1) == Verdict::too_close);
}

TEST_CASE("a clipped current makes a life at most this") {
  FieldMean mean;
  mean.mean = 50e-6;
  mean.mean_u.U = 1e-6;
  mean.bounds.lower = true;
  Battery cell;
  cell.capacity_c = 4320;
  const LifeInterval life = life_interval(mean, cell);
  CHECK(life.bounds.upper);
  CHECK(judge_life(life, kYear) == Verdict::too_close);  // 2.7 years at most
  CHECK(judge_life(life, 10 * kYear) == Verdict::outside);
}

TEST_CASE("an uplink that meets the timer is still one of three") {
  const auto capture = [](bool meets) {
    test::MadeCapture c({{0.0008, 40e-9, false}, 3.6, 1e-3});
    c.visit("Rest", 3e-6, 20, false).visit("Sense", 2e-3, 1);
    const double large[] = {40e-3, 60e-3, 80e-3};
    for (int i = 0; i < 63; ++i) {
      const bool send = i % 21 == 10;
      c.visit("Rest", 3e-6, send && !meets ? 20 : 56);
      if (send) c.visit("Locate", large[i / 21] / 2, 5).visit("Send", large[i / 21], 3);
      // Two of the three end just as the timer wakes the device.
      if (!send || (meets && i > 21)) c.visit("Sense", 2e-3, 1);
    }
    c.visit("Rest", 3e-6, 20, false);
    return test::ledger_of(c);
  };
  const Ledger apart = capture(false), met = capture(true);
  const FieldMean a = captured_mean(apart), b = captured_mean(met);
  // Three charges of 220, 330 and 440 mC: t(2) 110 mC sqrt(3) / T, whether they met it or not.
  double time = 0;
  for (const Round& r : rounds_of(met, "Rest")) time += r.length;
  CHECK(b.mean_u.U == Approx(4.303 * 0.110 * std::sqrt(3.0) / time).epsilon(0.05));
  CHECK(a.mean_u.U == Approx(b.mean_u.U).epsilon(0.05));
  CHECK(b.single.empty());
  CHECK(b.decided_by.find("3 rounds of Locate, Send hold") == 0);
  // The plan that it makes counts three of them, and every sense.
  const DutyPlan plan = plan_of(met);
  REQUIRE(plan.activities.size() == 2);
  CHECK(plan.activities[0].states == std::vector<std::string>{"Sense"});
  CHECK(plan.activities[0].rate_hz * time == Approx(62));
  CHECK(plan.activities[1].states == std::vector<std::string>{"Locate", "Send"});
  CHECK(plan.activities[1].rate_hz * time == Approx(3));
  // What goes through two states as a rule is one kind, though each was met alone.
  test::MadeCapture c;
  c.visit("Rest", 3e-6, 20, false).visit("Work", 2e-3, 1).visit("Rest", 3e-6, 50);
  for (int i = 0; i < 20; ++i) {
    if (i != 7) c.visit("Locate", 28e-3, 5);
    if (i != 9) c.visit("Send", 70e-3, 1);
    c.visit("Rest", 3e-6, 50);
  }
  c.visit("Work", 2e-3, 1, false);
  const auto kinds = simple_kinds(rounds_of(test::ledger_of(c), "Rest"));
  CHECK(kinds.front() == std::vector<std::string>{"Locate", "Send"});
}

TEST_CASE("a trace that is not split has a life too") {
  std::mt19937_64 random(6);
  std::normal_distribution<double> normal;
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> v(10000);
  for (double& x : v) x = 1e-3 * (1 + 0.1 * normal(random));
  trace.append(0, 1, v);
  const FieldMean mean = unsplit_mean(trace, {{0.001, 1e-9, false}, 0, 1e-3});
  CHECK(mean.mean == Approx(1e-3).epsilon(0.01));
  CHECK(mean.mean_u.U > 1.9e-6);
  CHECK(mean.of.find("not split") != std::string::npos);
}
