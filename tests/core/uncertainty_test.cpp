// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/uncertainty.h"

#include <catch2/catch.hpp>

#include <array>
#include <cmath>
#include <random>

using namespace kuvio;

TEST_CASE("Student's t has the tabulated quantiles") {
  CHECK(student_t(2) == Approx(4.3027).epsilon(1e-4));
  CHECK(student_t(10) == Approx(2.2281).epsilon(1e-4));
  CHECK(student_t(0) == Approx(1.95996).epsilon(1e-5));
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
  CHECK(judge_upper(3, 0.5, 4) == Verdict::within);
  CHECK(judge_upper(3.8, 0.5, 4) == Verdict::too_close);
  CHECK(judge_upper(4.2, 0.5, 4) == Verdict::too_close);
  CHECK(judge_upper(4.6, 0.5, 4) == Verdict::over);
  CHECK(judge_upper(3, 0.5, 4, true) == Verdict::too_close);
  CHECK(judge_upper(5, 0.5, 4, true) == Verdict::over);
  CHECK(judge_lower(2.1, 2.5, 2) == Verdict::within);
  CHECK(judge_lower(1.9, 2.5, 2) == Verdict::too_close);
  CHECK(judge_lower(1.1, 1.5, 2) == Verdict::over);
  CHECK(worse(Verdict::over, Verdict::no_data) == Verdict::over);
}

namespace {
/// Share of made results whose 95 % interval holds the truth.
template <typename Draw>
double coverage(Draw draw) {
  std::mt19937_64 random(42);
  int held = 0;
  constexpr int kTrials = 20000;
  for (int i = 0; i < kTrials; ++i) held += draw(random) ? 1 : 0;
  return static_cast<double>(held) / kTrials;
}
}  // namespace

TEST_CASE("95 % intervals hold the truth at least 93 times in a hundred") {
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> flat(-1, 1);
  SECTION("many visits") {
    CHECK(coverage([&](auto& random) {
            std::vector<double> v(40);
            for (double& x : v) x = 5 + normal(random);
            const Repeatability r = repeatability(v);
            const std::array c{Component{r.u, r.freedom}};
            return std::fabs(r.mean - 5) <= combine(c).U;
          }) >= 0.93);
  }
  SECTION("three visits") {
    CHECK(coverage([&](auto& random) {
            std::vector<double> v(3);
            for (double& x : v) x = 5 + normal(random);
            const Repeatability r = repeatability(v);
            const std::array c{Component{r.u, r.freedom}};
            return std::fabs(r.mean - 5) <= combine(c).U;
          }) >= 0.93);
  }
  SECTION("one rectangular term that outweighs the rest") {
    CHECK(coverage([&](auto& random) {
            const double error = flat(random) + 0.1 * normal(random);
            const std::array c{Component{1 / std::sqrt(3.0), 0, true}, Component{0.1, 0}};
            return std::fabs(error) <= combine(c).U;
          }) >= 0.93);
  }
  SECTION("gain, offset and visits together") {
    const Accuracy accuracy{0.01, 0.05, false};
    CHECK(coverage([&](auto& random) {
            const double gain = 1 + 0.01 * flat(random), offset = 0.05 * flat(random);
            std::vector<double> v(6);
            for (double& x : v) x = 5 * gain + offset + 0.05 * normal(random);
            const Repeatability r = repeatability(v);
            auto c = accuracy_components(accuracy, r.mean);
            c.push_back({r.u, r.freedom});
            return std::fabs(r.mean - 5) <= combine(c).U;
          }) >= 0.93);
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
