// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/typed_reading.h"

#include "core/budget.h"
#include "core/compare.h"
#include "core/duty.h"
#include "core/ledger.h"
#include "core/trace.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

Stated current(const char* text) { return parse_stated(text, Dimension::current); }

TypedReading reading(const char* state, const char* mean, const char* length = nullptr) {
  TypedReading out;
  out.state = state;
  out.mean = current(mean);
  if (length) out.length = parse_stated(length, Dimension::time);
  return out;
}

Ledger typed_ledger(std::vector<TypedReading> readings) {
  Account account;
  account.typed = std::move(readings);
  return make_ledger({account});
}

/// 100 s of "Rest" at 1 mA and "Work" at 50 mA, five visits of 2 s, as samples of 10 ms.
struct Captured {
  MemoryTrace trace{SampleKind::averaged, {1, 100}};
  Visits visits;
  Captured() {
    std::vector<double> values;
    for (int i = 0; i < 10000; ++i)
      values.push_back(i % 2000 >= 1000 && i % 2000 < 1200 ? 0.05 : 0.001);
    trace.append(0, 1, values);
    double at = 0;
    for (int k = 0; k < 5; ++k) {
      visits.push_back({"Rest", at, k * 20 + 10.0, k > 0});
      visits.push_back({"Work", k * 20 + 10.0, k * 20 + 12.0, true});
      at = k * 20 + 12;
    }
    visits.push_back({"Rest", at, 100, false});
  }
  Account account() const {
    return {&trace, measure_visits(trace, visits), {{0, 1e-5, false}, 3, 0.01}};
  }
};

}  // namespace

TEST_CASE("stated values are read with their uncertainty", "[fast]") {
  CHECK(current("47 mA") == Stated{0.047, {}});
  CHECK(current("47 mA +- 0.5 mA") == Stated{0.047, {0, 0.0005, false}});
  CHECK(current("47 mA \u00b1 0.5 mA (k=2)") == Stated{0.047, {0, 0.0005, true}});
  CHECK(current("47 mA +/- 1 %") == Stated{0.047, {0.01, 0, false}});
  const Stated range = current("11 to 12 mA");
  CHECK(range.value == Approx(0.0115).epsilon(1e-12));
  CHECK(range.accuracy.offset == Approx(0.0005).epsilon(1e-12));
  CHECK_FALSE(range.accuracy.expanded);
  CHECK(current("900 uA..1.2 mA").value == Approx(0.00105).epsilon(1e-12));
  CHECK(current("11\u201312 mA").value == Approx(0.0115).epsilon(1e-12));
  CHECK(parse_stated("-3 to 5 uA", Dimension::current).value == Approx(1e-6).epsilon(1e-9));
  CHECK(parse_stated("1.8 s +- 50 ms", Dimension::time) == Stated{1.8, {0, 0.05, false}});
  CHECK(parse_stated("3.6 V +- 0.1 V", Dimension::voltage).accuracy.offset == Approx(0.1));
  for (const char* wrong :
       {"47", "mA", "", "12 to 11 mA", "11 to 12", "11 to 12 mA +- 1 mA", "47 V", "47 mA +- 1 s",
        "47 mA +- -1 mA", "nan mA", "11 to", "to 12 mA"}) {
    INFO(wrong);
    CHECK_THROWS_AS(current(wrong), std::invalid_argument);
  }
}

TEST_CASE("what a stated value is written as reads back", "[fast]") {
  for (const char* text :
       {"47 mA", "47 mA +- 0.5 mA", "3.1 uA +- 2 % + 10 nA (k=2)", "11 to 12 mA"}) {
    const Stated stated = current(text);
    const Stated again = current(to_string(stated, Dimension::current).c_str());
    INFO(to_string(stated, Dimension::current));
    CHECK(again.value == Approx(stated.value).epsilon(1e-8));
    CHECK(again.accuracy.offset == Approx(stated.accuracy.offset).epsilon(1e-8));
    CHECK(again.accuracy.gain == Approx(stated.accuracy.gain).epsilon(1e-8));
    CHECK(again.accuracy.expanded == stated.accuracy.expanded);
  }
}

TEST_CASE("a reading that cannot be one is refused", "[fast]") {
  TypedReading r;
  r.state = "Sleep";
  CHECK_THROWS(check_typed(r));
  r.mean = Stated{0.001, {}};
  CHECK_NOTHROW(check_typed(r));
  r.peak = Stated{0.0005, {}};
  CHECK_THROWS(check_typed(r));
  r.peak.reset();
  r.length = Stated{0, {}};
  CHECK_THROWS(check_typed(r));
  r.length.reset();
  for (const char* state : {"", "  ", "Missing", "Unassigned", "Off"}) {
    r.state = state;
    CHECK_THROWS(check_typed(r));
  }
}

TEST_CASE("a typed state is a row without a share of the capture's time", "[fast]") {
  const Ledger ledger = typed_ledger({reading("Uplink", "47 mA +- 1 mA", "1.8 s +- 0.05 s")});
  const LedgerRow& row = *ledger.find("Uplink");
  REQUIRE(row.typed);
  CHECK(*row.mean == Approx(0.047));
  CHECK(row.mean_u.U == Approx(0.95 * 0.001).epsilon(1e-3));  // 95 % of a uniform distribution
  CHECK(row.visit_length_u.U == Approx(0.95 * 0.05).epsilon(1e-3));
  CHECK(row.charge_per_visit.mean == Approx(0.0846));
  CHECK(row.time_s == 0);
  CHECK(row.charge == 0);
  CHECK(ledger.time_s == 0);
  CHECK_FALSE(ledger.mean);
  CHECK(ledger.longest() == nullptr);
  CHECK_FALSE(row.single_visit());
}

TEST_CASE("the interval of a typed charge per visit holds 95 % of what may be true", "[fast]") {
  const Ledger ledger = typed_ledger({reading("Uplink", "47 mA +- 1 mA", "1.8 s +- 0.05 s")});
  const double charge = ledger.find("Uplink")->charge_per_visit.mean,
               U = ledger.find("Uplink")->charge_per_visit_u.U;
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> mean(0.046, 0.048), length(1.75, 1.85);
  int inside = 0;
  constexpr int kRuns = 40000;
  for (int i = 0; i < kRuns; ++i) inside += std::fabs(mean(random) * length(random) - charge) <= U;
  CHECK(inside / static_cast<double>(kRuns) == Approx(0.95).margin(0.01));
}

TEST_CASE("readings that agree within their uncertainty rest on it, others scatter", "[fast]") {
  const Ledger agree =
      typed_ledger({reading("S", "3.1 uA +- 0.1 uA"), reading("S", "3.2 uA +- 0.1 uA")});
  CHECK(*agree.find("S")->mean == Approx(3.15e-6));
  CHECK(agree.find("S")->mean_u.U == Approx(0.95e-7).epsilon(1e-3));
  // 2.5 and 3.5: s = 0.7071, u = 0.5, t(1) = 12.706
  const Ledger apart =
      typed_ledger({reading("S", "2.5 uA +- 0.1 uA"), reading("S", "3.5 uA +- 0.1 uA")});
  CHECK(apart.find("S")->spread == SpreadOf::readings);
  CHECK(apart.find("S")->mean_u.U == Approx(12.706 * 0.5e-6).epsilon(0.001));
  const Ledger bare = typed_ledger({reading("S", "3.1 uA"), reading("S", "3.2 uA")});
  CHECK(bare.find("S")->mean_u.U == Approx(12.706 * 0.05e-6).epsilon(0.001));
  CHECK(typed_ledger({reading("S", "3.1 uA")}).find("S")->single_visit());
}

TEST_CASE("a typed reading changes nothing of what was captured", "[fast]") {
  const Captured captured;
  const Ledger alone = make_ledger({captured.account()});
  Account typed;
  typed.typed = {reading("Work", "70 mA +- 1 mA"), reading("Deep", "2 uA +- 0.1 uA")};
  const Ledger both = make_ledger({captured.account(), typed});
  CHECK(both.captures == 1);
  CHECK(both.time_s == alone.time_s);
  CHECK(both.charge == alone.charge);
  CHECK(*both.mean == *alone.mean);
  CHECK(both.basis.accuracy == alone.basis.accuracy);
  CHECK(both.basis.voltage == alone.basis.voltage);
  for (const char* state : {"Rest", "Work"}) {
    CHECK(*both.find(state)->mean == *alone.find(state)->mean);
    CHECK(both.find(state)->mean_u.U == alone.find(state)->mean_u.U);
    CHECK_FALSE(both.find(state)->typed);
  }
  CHECK(both.find("Work")->typed_beside == 1);
  CHECK(both.find("Deep")->typed->readings == 1);
  CHECK(*both.find("Deep")->mean == Approx(2e-6));
  CHECK(both.longest()->state == "Rest");
}

TEST_CASE("typed readings are compared by what was stated of them", "[fast]") {
  const auto side = [](const char* name, const char* mean) {
    return Side{
        name, typed_ledger({reading("Sleep", mean)}), {{"input", "meter"}, {"range", "1 mA"}}};
  };
  const Comparison c = compare(side("A", "3.1 uA +- 0.1 uA"), side("B", "4.4 uA +- 0.1 uA"));
  const CompareRow& row = c.rows.front();
  CHECK(row.mean.value == Approx(1.3e-6));
  CHECK(row.conclusion == Conclusion::higher);
  // Two bounds of 0.1: a triangle between -0.2 and 0.2, whose 95 % end lies at 0.2 (1 -
  // sqrt(0.05)).
  CHECK(row.mean.U() >= 0.2e-6 * (1 - std::sqrt(0.05)) * 0.999);
  CHECK(row.mean.U() <= 0.2e-6);
  CHECK(c.accuracy_stated);
  CHECK(c.worse());
  const Comparison near = compare(side("A", "3.1 uA +- 0.1 uA"), side("B", "3.2 uA +- 0.1 uA"));
  CHECK(near.rows.front().conclusion == Conclusion::none);
  const Comparison bare = compare(side("A", "3.1 uA"), side("B", "4.4 uA"));
  CHECK(bare.rows.front().conclusion == Conclusion::single_visit);
}

TEST_CASE("budgets judge typed readings, and have no data for what was not typed", "[fast]") {
  TypedReading r = reading("Uplink", "47 mA +- 1 mA", "1.8 s +- 0.05 s");
  r.peak = current("210 mA +- 2 mA");
  const Ledger ledger = typed_ledger({r, reading("Sleep", "3.1 uA +- 0.1 uA")});
  const auto judged = [&](const char* state, LimitQuantity quantity, double max) {
    Budget budget;
    Limit limit;
    limit.scope = Scope::state;
    limit.state = state;
    limit.quantity = quantity;
    limit.statistic = info(quantity).usual;
    limit.max = max;
    budget.limits.push_back(limit);
    return check(budget, ledger).limits.front().verdict;
  };
  CHECK(judged("Sleep", LimitQuantity::mean_current, 4e-6) == Verdict::within);
  CHECK(judged("Sleep", LimitQuantity::mean_current, 3.15e-6) == Verdict::too_close);
  CHECK(judged("Sleep", LimitQuantity::mean_current, 2.9e-6) == Verdict::outside);
  CHECK(judged("Sleep", LimitQuantity::charge_per_visit, 1) == Verdict::no_data);
  CHECK(judged("Sleep", LimitQuantity::peak_current, 1) == Verdict::no_data);
  CHECK(judged("Uplink", LimitQuantity::charge_per_visit, 0.09) == Verdict::within);
  CHECK(judged("Uplink", LimitQuantity::charge_per_visit, 0.086) == Verdict::too_close);
  CHECK(judged("Uplink", LimitQuantity::visit_length, 1.83) == Verdict::too_close);
  CHECK(judged("Uplink", LimitQuantity::visit_length, 1.9) == Verdict::within);
  CHECK(judged("Uplink", LimitQuantity::peak_current, 0.2115) == Verdict::too_close);
  CHECK(judged("Uplink", LimitQuantity::peak_current, 0.213) == Verdict::within);
  CHECK(judged("Linger", LimitQuantity::mean_current, 1) == Verdict::no_data);
}

TEST_CASE("a field mean of typed readings covers what lengths and levels leave open", "[fast]") {
  const Ledger ledger = typed_ledger(
      {reading("Uplink", "47 mA +- 1 mA", "1.8 s +- 0.2 s"), reading("Sleep", "3.1 uA +- 0.1 uA")});
  DutyPlan plan;
  plan.rest = "Sleep";
  plan.activities = {{4.0 / 86400, {"Uplink"}}};
  const FieldMean field = field_mean(plan, ledger);
  REQUIRE(field.missing.empty());
  const double r = 4.0 / 86400;
  CHECK(field.mean == Approx(r * 0.047 * 1.8 + 3.1e-6 * (1 - r * 1.8)).epsilon(1e-9));
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> mean(0.046, 0.048), length(1.6, 2.0), rest(3e-6, 3.2e-6);
  int inside = 0;
  constexpr int kRuns = 20000;
  for (int i = 0; i < kRuns; ++i) {
    const double d = length(random), low = rest(random);
    inside += std::fabs(r * mean(random) * d + low * (1 - r * d) - field.mean) <= field.mean_u.U;
  }
  CHECK(inside / static_cast<double>(kRuns) >= 0.945);
  CHECK(field.mean_u.U < 1e-6);
  DutyPlan more = plan;
  more.activities.push_back({1.0 / 3600, {"Linger"}});
  CHECK(field_mean(more, ledger).missing == std::vector<std::string>{"Linger"});
}

TEST_CASE("a single typed state is a mean to live on, several are none without a plan", "[fast]") {
  const FieldMean one = captured_mean(typed_ledger({reading("On", "12 mA +- 0.5 mA")}));
  CHECK(one.mean == Approx(0.012));
  CHECK(one.mean_u.U == Approx(0.95 * 0.0005).epsilon(1e-3));
  const FieldMean two =
      captured_mean(typed_ledger({reading("On", "12 mA"), reading("Sleep", "1 uA")}));
  CHECK(two.mean == 0);
  CHECK(two.shares.empty());
}
