// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/uncertainty.h"

#include "core/accuracy.h"
#include "core/repeatability.h"
#include "core/verdict.h"

#include "studies/coverage.h"
#include "studies/edges.h"

#include <catch2/catch.hpp>

#include <array>
#include <cmath>
#include <random>

using namespace kuvio;

TEST_CASE("Student's t has the tabulated quantiles") {
  CHECK(student_t(2) == Approx(4.3027).epsilon(1e-4));
  CHECK(student_t(10) == Approx(2.2281).epsilon(1e-4));
  CHECK(student_t({}) == Approx(1.95996).epsilon(1e-5));
  CHECK(student_p(4.3027, 2) == Approx(0.05).epsilon(1e-3));
}

TEST_CASE("accuracy statements are read and refused") {
  const Accuracy a = parse_accuracy("0.08 % + 40 nA");
  CHECK(a.gain == Approx(0.0008));
  CHECK(a.offset == Approx(40e-9));
  CHECK_FALSE(a.expanded);
  CHECK(parse_accuracy("+- 0.05 % (k=2)").expanded);
  CHECK_THROWS(parse_accuracy("good"));
  CHECK_THROWS(parse_accuracy(""));
  CHECK_THROWS(parse_accuracy("1 % (k=3)"));
}

TEST_CASE("a verdict needs the whole interval on one side") {
  CHECK(judge_upper(2.5, 3.5, 4) == Verdict::within);
  CHECK(judge_upper(3.3, 4.3, 4) == Verdict::too_close);
  CHECK(judge_upper(3.7, 4.7, 4) == Verdict::too_close);
  CHECK(judge_upper(4.1, 5.1, 4) == Verdict::outside);
  CHECK(judge_upper(2.5, 3.5, 4, {true, false}) == Verdict::too_close);
  CHECK(judge_upper(4.5, 5.5, 4, {true, false}) == Verdict::outside);
  CHECK(judge_upper(2.5, 3.5, 4, {false, true}) == Verdict::within);
  CHECK(judge_upper(4.5, 5.5, 4, {false, true}) == Verdict::too_close);
  CHECK(judge_upper(2.5, 3.5, 4, {true, true}) == Verdict::too_close);
  CHECK(judge_lower(2.1, 2.5, 2) == Verdict::within);
  CHECK(judge_lower(1.9, 2.5, 2) == Verdict::too_close);
  CHECK(judge_lower(1.1, 1.5, 2) == Verdict::outside);
  CHECK(judge_lower(2.1, 2.5, 2, {false, true}) == Verdict::too_close);
  CHECK(judge_lower(1.1, 1.5, 2, {true, false}) == Verdict::too_close);
  CHECK(worse(Verdict::outside, Verdict::no_data) == Verdict::outside);
  CHECK(worse(Verdict::too_close, Verdict::no_data) == Verdict::no_data);
}

TEST_CASE("components are expanded by where they come from") {
  const Component bound{"offset", 1, {}, Origin::bound}, stated{"k = 2", 1, {}, Origin::normal},
      three{"three visits", 1, 2.0, Origin::scatter};
  CHECK(expand(std::vector{bound}).U == Approx(0.95 * std::sqrt(3.0)));
  CHECK(expand(std::vector{stated}).U == Approx(1.95996).epsilon(1e-4));
  CHECK(expand(std::vector{three}).U == Approx(4.30265).epsilon(1e-4));
  CHECK(expand(std::vector{three, stated}).U == Approx(std::hypot(4.30265, 1.95996)).epsilon(1e-4));
  // Two equal bounds: the trapezoid's quantile is 1.90 u; a normal one beside is 1 % more.
  CHECK(expand(std::vector{bound, bound}).U == Approx(1.93 * std::sqrt(2.0)).epsilon(0.02));
  const Expanded e = expand(std::vector{three, stated});
  CHECK(e.u == Approx(std::sqrt(2.0)));
  CHECK(e.coverage_factor == Approx(e.U / e.u));
  CHECK(expand({}).U == 0);
}

TEST_CASE("the chance of a difference is that of the interval which just reaches zero") {
  const std::vector<Component> c{{"visits", 1, 4.0, Origin::scatter},
                                 {"offset", 0.7, {}, Origin::bound}};
  for (const double level : {0.5, 0.9, 0.95, 0.999})
    CHECK(chance_of(expand(c, level).U, c) == Approx(1 - level).epsilon(1e-3));
  CHECK(chance_of(student_t(7, 0.95), std::vector{Component{"v", 1, 7.0, Origin::scatter}}) ==
        Approx(0.05).epsilon(1e-3));
  CHECK(chance_of(0, c) == 1);
  CHECK(chance_of(1, {}) == 0);
}

TEST_CASE("the short version of the coverage tables") {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  constexpr int kLess = 20;  // these builds are for other faults
#else
  constexpr int kLess = 1;
#endif
  for (const test::CoverageCase& c : test::coverage_cases()) {
    INFO(c.table << ": " << c.name);
    const int trials = c.few / kLess;
    const double found = test::share_of(c, trials, 7);
    const double slack = (kLess > 1 ? 5 : 2.5) * std::sqrt(0.93 * 0.07 / trials);
    CHECK(found >= c.least - slack);
    CHECK(found <= c.most + slack);
  }
}

TEST_CASE("neighbours that correlate widen the uncertainty") {
  std::mt19937_64 random(1);
  std::normal_distribution<double> normal;
  std::vector<double> independent(200), drifting(200);
  double walk = 0;
  for (std::size_t i = 0; i < 200; ++i) {
    independent[i] = normal(random);
    walk = 0.9 * walk + normal(random);
    drifting[i] = walk;
  }
  const Repeatability a = repeatability(independent), b = repeatability(drifting);
  CHECK(a.u == Approx(a.sd / std::sqrt(200.0)));
  CHECK(b.u > 2.5 * b.sd / std::sqrt(200.0));
}

TEST_CASE("next to no degrees of freedom are an interval that says nothing, not an overflow") {
  for (const double freedom : {0.0, 1e-9, 1e-3, 0.01, 0.1}) {
    CAPTURE(freedom);
    const double t = student_t(freedom, 0.95);
    CHECK(std::isfinite(t * t));
    CHECK(t > 1e6);
    CHECK(student_p(10, freedom) > 0.5);
  }
}
