// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare.h"

#include "studies/made_ledger.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

const Basis kBasis{{0.0008, 40e-9, false}, 3.6, 1e-3};

/// Rounds of sleep and work; the levels vary by `spread`.
test::MadeCapture made_capture(std::mt19937_64& random, int rounds, double sleep, double work,
                               int work_ms, double spread = 0.01, Basis basis = kBasis) {
  std::normal_distribution<double> normal;
  test::MadeCapture out(basis);
  for (int i = 0; i < rounds; ++i) {
    out.visit("Sleep", sleep * (1 + spread * normal(random)), 0.5, i > 0);
    out.visit("Work", work * (1 + spread * normal(random)), (work_ms + (i % 3)) * 1e-3);
  }
  out.visit("Sleep", sleep, 0.1, false);
  return out;
}
Ledger made(std::mt19937_64& random, int rounds, double sleep, double work, int work_ms,
            double spread = 0.01) {
  auto capture = made_capture(random, rounds, sleep, work, work_ms, spread);
  return test::ledger_of(capture);
}

const Conditions kBench{{"input", "A"}, {"range", "100 mA"}, {"voltage", "3.6 V"}};

const CompareRow& row(const Comparison& c, const std::string& state) {
  for (const CompareRow& r : c.rows) {
    if (r.state == state) return r;
  }
  throw std::logic_error("no such row");
}

}  // namespace

TEST_CASE("a raised sleep current is shown and named") {
  std::mt19937_64 random(1);
  const Comparison c = compare({"a", made(random, 20, 3e-6, 5e-3, 100), kBench},
                               {"b", made(random, 20, 38e-6, 5e-3, 100), kBench});
  CHECK(row(c, "Sleep").conclusion == Conclusion::higher);
  CHECK(row(c, "Work").conclusion == Conclusion::none);
  CHECK(row(c, "Sleep").mean.value == Approx(35e-6).epsilon(0.02));
  CHECK(c.alike());
}

TEST_CASE("a shorter visit at the same level is lower per visit") {
  std::mt19937_64 random(2);
  const Comparison c = compare({"a", made(random, 20, 3e-6, 5e-3, 200), kBench},
                               {"b", made(random, 20, 3e-6, 5e-3, 100), kBench});
  CHECK(row(c, "Work").conclusion == Conclusion::lower);
  CHECK(row(c, "Work").by_charge);
  CHECK(row(c, "Work").bridge < 0);
  CHECK(c.total.value < 0);
}

TEST_CASE("the bridge adds up to the difference of the means, on random ledgers") {
  std::mt19937_64 random(3);
  for (int i = 0; i < 50; ++i) {
    const Comparison c = compare({"a", made(random, 3 + i % 5, 3e-6, 5e-3, 50 + i), kBench},
                                 {"b", made(random, 4 + i % 7, 5e-6, 6e-3, 90), kBench});
    double sum = 0;
    for (const CompareRow& r : c.rows) sum += r.bridge;
    REQUIRE(sum == Approx(*c.candidate_mean - *c.reference_mean).epsilon(1e-9));
  }
}

TEST_CASE("on one instrument the offset cancels") {
  std::mt19937_64 random(5);
  const Ledger a = made(random, 30, 1.00e-6, 5e-3, 100, 1e-4),
               b = made(random, 30, 1.02e-6, 5e-3, 100, 1e-4);
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}), "Sleep").conclusion == Conclusion::higher);
  Conditions other = kBench;
  other["input"] = "B";
  const Comparison apart = compare({"a", a, kBench}, {"b", b, other});
  CHECK(row(apart, "Sleep").conclusion == Conclusion::none);
  REQUIRE(apart.unlike.size() == 1);
  CHECK(apart.unlike[0].condition == "input");
}

TEST_CASE("equal needs a margin, and single visits are not tested") {
  std::mt19937_64 random(6);
  const Ledger a = made(random, 30, 3e-6, 5e-3, 100, 0.001),
               b = made(random, 30, 3e-6, 5e-3, 100, 0.001);
  CompareSettings margin;
  margin.equal_within = 0.02;
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}, margin), "Work").conclusion ==
        Conclusion::equal);
  const Ledger once = made(random, 1, 3e-6, 5e-3, 100);
  CHECK(row(compare({"a", a, kBench}, {"b", once, kBench}), "Work").conclusion ==
        Conclusion::single_visit);
}

TEST_CASE("under automatic range the offset cancels only where both levels lie in one range") {
  std::mt19937_64 random(8);
  Conditions automatic = kBench;
  automatic["range"] = "automatic";
  const Ledger a = made(random, 30, 1.00e-6, 5e-3, 100, 1e-4),
               near = made(random, 30, 1.02e-6, 5e-3, 100, 1e-4),
               far = made(random, 30, 1.3e-6, 5e-3, 100, 1e-4);
  CHECK(row(compare({"a", a, automatic}, {"b", near, automatic}), "Sleep").conclusion ==
        Conclusion::higher);
  const auto U = [&](const Conditions& bench) {
    return row(compare({"a", a, bench}, {"b", far, bench}), "Sleep").mean.U();
  };
  CHECK(U(kBench) < 2e-9);      // in one fixed range nothing but the gain of 0.3 uA
  CHECK(U(automatic) > 50e-9);  // two offsets of 40 nA
}

TEST_CASE("means that are tested are those of whole visits") {
  // A cut visit at the end that reads low pulls the mean over all stays, not the tested one.
  std::mt19937_64 random(9);
  auto a = made_capture(random, 10, 3e-6, 70e-3, 100, 1e-4),
       b = made_capture(random, 10, 3e-6, 70e-3, 100, 1e-4);
  a.visit("Work", 50e-3, 0.05, false);
  const Ledger la = test::ledger_of(a), lb = test::ledger_of(b);
  CHECK(*la.find("Work")->mean < 69.5e-3);
  CHECK(*la.find("Work")->tested_mean() == Approx(70e-3).epsilon(1e-3));
  CHECK(row(compare({"a", la, kBench}, {"b", lb, kBench}), "Work").conclusion == Conclusion::none);
}

TEST_CASE("an equal margin goes before a difference that is shown") {
  std::mt19937_64 random(10);
  const Ledger a = made(random, 30, 3e-6, 5e-3, 100, 1e-4),
               b = made(random, 30, 3e-6, 5.015e-3, 100, 1e-4);
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}), "Work").conclusion == Conclusion::higher);
  CompareSettings margin;
  margin.equal_within = 0.02;
  const Comparison c = compare({"a", a, kBench}, {"b", b, kBench}, margin);
  CHECK(row(c, "Work").conclusion == Conclusion::equal);
  CHECK_FALSE(c.worse());
  margin.equal_within = 0.002;
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}, margin), "Work").conclusion ==
        Conclusion::higher);
}

TEST_CASE("Holm's step-down tells which differences chance does not explain") {
  std::vector<Difference> d(5);
  const double p[] = {0.001, 0.012, 0.03, 0.5, 1e-9};
  for (std::size_t i = 0; i < 5; ++i) {
    d[i].tested = i < 4;  // the last is none of the family
    d[i].p = p[i];
    d[i].low = 1;
    d[i].high = 2;
  }
  holm({&d[0], &d[1], &d[2], &d[3], &d[4]});
  CHECK(d[0].rejected);                // 0.001 <= 0.05/4
  CHECK(d[1].rejected);                // 0.012 <= 0.05/3
  CHECK_FALSE(d[2].rejected);          // 0.03 > 0.05/2
  CHECK(d[2].not_shown_among_many());  // though its own interval leaves out zero
  CHECK_FALSE(d[3].rejected);
  CHECK_FALSE(d[4].rejected);
}

TEST_CASE("each interval is that difference's own, whatever the family decides") {
  std::mt19937_64 random(11);
  const Comparison c = compare({"a", made(random, 8, 3e-6, 5e-3, 100), kBench},
                               {"b", made(random, 8, 3e-6, 5e-3, 100), kBench});
  for (const CompareRow& r : c.rows) {
    if (!r.mean.known) continue;
    CHECK(r.mean.U() == Approx(expand(r.mean.components).U));
    CHECK((r.mean.p < 0.05) == (r.mean.low > 0 || r.mean.high < 0));
  }
}

TEST_CASE("a rest that varies from visit to visit is in the interval of the captures' difference") {
  std::mt19937_64 random(12);
  const Ledger a = made(random, 20, 50e-6, 5e-3, 10, 0.1),
               b = made(random, 20, 50e-6, 5e-3, 10, 0.1);
  const Comparison c = compare({"a", a, kBench}, {"b", b, kBench});
  CHECK(c.total.U() > 0.5e-6);
  CHECK(c.total_conclusion == Conclusion::none);
}

TEST_CASE("a new state that carries the charge on a single visit is not tested away") {
  std::mt19937_64 random(13);
  auto b = made_capture(random, 10, 3e-6, 1e-4, 100);
  b.visit("Leak", 20e-3, 1).visit("Sleep", 3e-6, 1, false);
  const Ledger la = made(random, 10, 3e-6, 1e-4, 100), lb = test::ledger_of(b);
  const Comparison c = compare({"a", la, kBench}, {"b", lb, kBench});
  CHECK(c.total_conclusion == Conclusion::single_visit);
  CHECK(c.single == std::vector<std::string>{"Leak"});
}

TEST_CASE("what a clipped side may hide is neither shown lower nor equal") {
  std::mt19937_64 random(14);
  Ledger a = made(random, 20, 3e-6, 5e-3, 100), b = made(random, 20, 3e-6, 4e-3, 100);
  const auto clip = [](Ledger& l) {
    for (LedgerRow& r : l.rows) {
      if (r.state == "Work") r.bounds.lower = true;
    }
    l.bounds.lower = true;
  };
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}), "Work").conclusion == Conclusion::lower);
  clip(b);
  const Comparison c = compare({"a", a, kBench}, {"b", b, kBench});
  CHECK(row(c, "Work").conclusion == Conclusion::none);
  CHECK(row(c, "Work").mean.bounds.lower);
  CHECK(c.open());
  // Over a clipped reference a candidate that is higher may not be.
  Ledger high = made(random, 20, 3e-6, 6e-3, 100);
  clip(a);
  CHECK(row(compare({"a", a, kBench}, {"b", high, kBench}), "Work").conclusion == Conclusion::none);
}

TEST_CASE("a length that no difference is shown of is held common, and what could hide is told") {
  std::mt19937_64 random(15);
  std::normal_distribution<double> normal;
  const auto side = [&](double sleep, double linger) {
    test::MadeCapture c(kBasis);
    c.visit("Sleep", sleep, 10, false);
    for (int i = 0; i < 4; ++i) {
      c.visit("Locate", 28e-3, 5.5 + 1.5 * normal(random)).visit("Linger", 7e-3, linger);
      c.visit("Sleep", sleep, 100, i < 3);
    }
    return test::ledger_of(c);
  };
  const Ledger a = side(3e-6, 2), b = side(38e-6, 1);
  CompareSettings s;
  s.duty = DutyPlan{"Sleep", {{4 / 86400.0, {"Locate", "Linger"}}}, {}};
  const Comparison c = compare({"a", a, kBench}, {"b", b, kBench}, s);
  REQUIRE(c.same_use);
  const double r = 4 / 86400.0;
  const double da = a.find("Locate")->visit_length.mean, db = b.find("Locate")->visit_length.mean;
  const double common = (da + db) / 2;
  const double truth = 35e-6 + r * ((7e-3 - 38e-6) * 1 - (7e-3 - 3e-6) * 2) - r * common * 35e-6;
  CHECK(c.same_use->difference.value == Approx(truth).epsilon(1e-9));
  CHECK(c.same_use->difference.U() < 0.1e-6);
  CHECK(c.total.U() > 1e-6);  // the plain one has the sky in it
  CHECK(c.same_use->conclusion == Conclusion::higher);
  REQUIRE(c.same_use->common.size() == 1);
  CHECK(c.same_use->common[0].state == "Locate");
  CHECK(c.same_use->own == std::vector<std::string>{"Linger"});
  CHECK(*c.same_use->common[0].could_hide ==
        Approx(r * (28e-3 - 20.5e-6) * row(c, "Locate").visit_length.U()));
  double parts = 0;
  for (const CompareRow& x : c.rows) parts += x.level_part + x.length_part;
  CHECK(parts == Approx(c.same_use->difference.value).epsilon(1e-12));
  CHECK(row(c, "Linger").length_part < 0);
  CHECK(row(c, "Locate").length_part == 0);

  // A length that the plan gives stands in both means, and nothing of it can hide.
  s.duty->activities[0].lengths = {{"Locate", 5.5}};
  const Comparison given = compare({"a", a, kBench}, {"b", b, kBench}, s);
  REQUIRE(given.same_use->common.size() == 1);
  CHECK(given.same_use->common[0].given);
  CHECK_FALSE(given.same_use->common[0].could_hide);
  CHECK(given.same_use->could_hide == 0);
  CHECK(*given.reference_mean ==
        Approx(r * ((28e-3 - 3e-6) * 5.5 + (7e-3 - 3e-6) * 2) + 3e-6).epsilon(1e-9));
}

TEST_CASE("of six lengths that differ by chance alone, one that seems to is not the build's") {
  std::mt19937_64 random(16);
  std::normal_distribution<double> normal;
  const std::vector<std::string> states{"Wake", "Locate", "Uplink", "Linger", "Sense", "Store"};
  const auto side = [&] {
    test::MadeCapture c(kBasis);
    c.visit("Sleep", 3e-6, 10, false);
    for (int i = 0; i < 8; ++i) {
      for (const std::string& state : states) c.visit(state, 5e-3, 1 + 0.1 * normal(random));
      c.visit("Sleep", 3e-6, 100, i < 7);
    }
    return test::ledger_of(c);
  };
  CompareSettings s;
  s.duty = DutyPlan{"Sleep", {{4 / 86400.0, states}}, {}};
  int all_held = 0;
  constexpr int kTrials = 400;
  for (int i = 0; i < kTrials; ++i) {
    const Comparison c = compare({"a", side(), kBench}, {"b", side(), kBench}, s);
    all_held += c.same_use->common.size() == states.size();
  }
  CHECK(all_held >= 0.93 * kTrials);
}

TEST_CASE("three captures a side speak of the builds, fewer of these captures") {
  std::mt19937_64 random(16);
  std::normal_distribution<double> normal;
  const auto build = [&](std::size_t n) {
    std::vector<test::MadeCapture> all;
    for (std::size_t i = 0; i < n; ++i)
      all.push_back(made_capture(random, 10, 3e-6, 5e-3 * (1 + 0.01 * normal(random)), 100, 1e-3));
    return test::ledger_of(all);
  };
  const Comparison three = compare({"a", build(3), kBench}, {"b", build(3), kBench});
  CHECK(three.of_builds);
  CHECK(three.rows[0].mean.U() > 20e-6);  // the captures differ by 1 %
  const Comparison two = compare({"a", build(2), kBench}, {"b", build(2), kBench});
  CHECK_FALSE(two.of_builds);
}

TEST_CASE("means in the field are compared by the duty plan") {
  std::mt19937_64 random(7);
  CompareSettings s;
  s.duty = DutyPlan{"Sleep", {{1 / 60.0, {"Work"}}}, {}};
  const Ledger a = made(random, 10, 3e-6, 5e-3, 200), b = made(random, 10, 3e-6, 5e-3, 100);
  const Comparison c = compare({"a", a, kBench}, {"b", b, kBench}, s);
  CHECK(c.field);
  const double qa = a.find("Work")->charge_per_visit.mean, da = a.find("Work")->visit_length.mean;
  CHECK(*c.reference_mean == Approx(qa / 60 + *a.find("Sleep")->tested_mean() * (1 - da / 60)));
  CHECK(c.total_conclusion == Conclusion::lower);
  s.duty->rest = "Nowhere";
  CHECK(compare({"a", a, kBench}, {"b", b, kBench}, s).missing ==
        std::vector<std::string>{"Nowhere"});
}
