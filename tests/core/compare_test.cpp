// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

const Recipe kTwo{
    "two", "", {{"Sleep", {-1, 1e-4, -1, 1e-4}, 0, 0}, {"Work", {1e-4, 1, 1e-4, 1}, 0, 0}}};

Ledger made(std::mt19937_64& random, int rounds, double sleep, double work, int work_ms,
            double spread = 0.01) {
  std::normal_distribution<double> normal;
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  for (int i = 0; i < rounds; ++i) {
    const double s = sleep * (1 + spread * normal(random)),
                 w = work * (1 + spread * normal(random));
    values.insert(values.end(), 500, s);
    values.insert(values.end(), static_cast<std::size_t>(work_ms + (i % 3)), w);
  }
  values.insert(values.end(), 100, sleep);
  trace.append(0, 1, values);
  return make_ledger({{&trace, measure_visits(trace, split(trace, kTwo))}},
                     {{0.0008, 40e-9, false}, 3.6, 1e-3});
}

const Conditions kBench{{"input", "A"}, {"range", "automatic"}, {"voltage", "3.6 V"}};

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
  CHECK(row(c, "Sleep").shown == Shown::higher);
  CHECK(row(c, "Work").shown == Shown::none);
  CHECK(row(c, "Sleep").mean.value == Approx(35e-6).epsilon(0.02));
  CHECK(c.alike());
}

TEST_CASE("a shorter visit at the same level is lower per visit") {
  std::mt19937_64 random(2);
  const Comparison c = compare({"a", made(random, 20, 3e-6, 5e-3, 200), kBench},
                               {"b", made(random, 20, 3e-6, 5e-3, 100), kBench});
  CHECK(row(c, "Work").shown == Shown::lower);
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

TEST_CASE("no difference is false more often than one time in twenty") {
  std::mt19937_64 random(4);
  int wrong = 0;
  constexpr int kTrials = 300;
  for (int i = 0; i < kTrials; ++i) {
    const Comparison c = compare({"a", made(random, 8, 3e-6, 5e-3, 100, 0.05), kBench},
                                 {"b", made(random, 8, 3e-6, 5e-3, 100, 0.05), kBench});
    for (const CompareRow& r : c.rows) {
      if (r.shown == Shown::higher || r.shown == Shown::lower) {
        ++wrong;
        break;
      }
    }
  }
  CHECK(wrong <= kTrials * 0.08);
}

TEST_CASE("on one instrument the offset cancels") {
  std::mt19937_64 random(5);
  const Ledger a = made(random, 30, 1.00e-6, 5e-3, 100, 1e-4),
               b = made(random, 30, 1.02e-6, 5e-3, 100, 1e-4);
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}), "Sleep").shown == Shown::higher);
  Conditions other = kBench;
  other["input"] = "B";
  const Comparison apart = compare({"a", a, kBench}, {"b", b, other});
  CHECK(row(apart, "Sleep").shown == Shown::none);
  REQUIRE(apart.unlike.size() == 1);
  CHECK(apart.unlike[0].condition == "input");
}

TEST_CASE("equal needs a margin, and single visits are not tested") {
  std::mt19937_64 random(6);
  const Ledger a = made(random, 30, 3e-6, 5e-3, 100, 0.001),
               b = made(random, 30, 3e-6, 5e-3, 100, 0.001);
  CompareSettings margin;
  margin.equal_within = 0.02;
  CHECK(row(compare({"a", a, kBench}, {"b", b, kBench}, margin), "Work").shown == Shown::equal);
  const Ledger once = made(random, 1, 3e-6, 5e-3, 100);
  CHECK(row(compare({"a", a, kBench}, {"b", once, kBench}), "Work").shown == Shown::single_visit);
}

TEST_CASE("Holm's step-down keeps intervals and verdicts in agreement") {
  std::vector<Difference> d(4);
  const double p[] = {0.001, 0.02, 0.03, 0.5};
  for (std::size_t i = 0; i < 4; ++i) {
    d[i].tested = true;
    d[i].freedom = 10;
    d[i].u = 1;
    d[i].p = p[i];
    d[i].value = student_t(10, 1 - p[i]);
  }
  holm({&d[0], &d[1], &d[2], &d[3]});
  CHECK(d[0].low > 0);
  for (std::size_t i = 1; i < 4; ++i) CHECK(d[i].low < 0);
}

TEST_CASE("means in the field are compared by the duty plan") {
  std::mt19937_64 random(7);
  CompareSettings s;
  s.duty = DutyPlan{"Sleep", {{1 / 60.0, {"Work"}}}, {}};
  const Ledger a = made(random, 10, 3e-6, 5e-3, 200), b = made(random, 10, 3e-6, 5e-3, 100);
  const Comparison c = compare({"a", a, kBench}, {"b", b, kBench}, s);
  CHECK(c.field);
  const double qa = a.find("Work")->charge_per_visit.mean, da = a.find("Work")->visit_length.mean;
  CHECK(*c.reference_mean == Approx(qa / 60 + *a.find("Sleep")->mean * (1 - da / 60)));
  CHECK(c.total_shown == Shown::lower);
  s.duty->rest = "Nowhere";
  CHECK(compare({"a", a, kBench}, {"b", b, kBench}, s).missing ==
        std::vector<std::string>{"Nowhere"});
}
