// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/repeatability.h"

#include <boost/math/distributions/students_t.hpp>
#include <catch2/catch.hpp>

#include <cmath>
#include <random>
#include <vector>

using namespace kuvio;

namespace {

/// How often mean ± t u holds the truth, of `runs` series of n values whose neighbours go together
/// by `phi`.
double coverage(int runs, std::size_t n, double phi, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  int held = 0;
  std::vector<double> values(n);
  for (int run = 0; run < runs; ++run) {
    double x = normal(random) / std::sqrt(1 - phi * phi);
    for (double& v : values) {
      v = 5 + x;
      x = phi * x + normal(random);
    }
    const Repeatability r = repeatability(values);
    const double t =
        boost::math::quantile(boost::math::students_t(std::max(1.0, *r.freedom)), 0.975);
    held += std::fabs(r.mean - 5) <= t * r.u ? 1 : 0;
  }
  return static_cast<double>(held) / runs;
}

}  // namespace

TEST_CASE("mean and scatter of few values are the textbook's") {
  const std::vector<double> v{1.01, 0.99, 1.02};
  const Repeatability r = repeatability(v);
  CHECK(r.mean == Approx(1.0066666667));
  CHECK(r.sd == Approx(0.01527525232));
  CHECK(r.u == Approx(0.00881917104));
  CHECK(*r.freedom == Approx(2));
  CHECK(r.n == 3);
}

TEST_CASE("one value has no scatter, none has no mean") {
  const Repeatability one = repeatability(std::vector<double>{4.2});
  CHECK(one.mean == 4.2);
  CHECK_FALSE(one.freedom);
  CHECK_FALSE(one.component("of one"));
  CHECK(repeatability({}).n == 0);
  const Repeatability two = repeatability(std::vector<double>{1, 2});
  REQUIRE(two.component("of two", -3));
  CHECK(two.component("of two", -3)->u == Approx(3 * 0.5));
}

TEST_CASE("an interval holds its 95 % of the truth, alone or with neighbours that go together") {
  CHECK(coverage(2000, 20, 0, 1) > 0.93);
  CHECK(coverage(2000, 60, 0, 2) > 0.93);
  CHECK(coverage(2000, 60, 0, 2) < 0.98);  // nor is it wider than it must be
  CHECK(coverage(2000, 60, 0.6, 3) > 0.91);
  CHECK(coverage(2000, 200, 0.8, 4) > 0.92);
}

TEST_CASE("a ratio of sums has the jackknife's scatter, and long visits count as few") {
  const std::vector<double> x{2.0, 1.5, 3.0}, y{4.1, 2.9, 6.2};
  const Repeatability r = ratio_of_sums(y, x);
  CHECK(r.mean == Approx(2.0307692308));
  CHECK(r.u == Approx(0.0350269346));
  CHECK(*r.freedom == Approx(1.7704918033));
  // Terms without length are left out; the rest is as before.
  const std::vector<double> with_none{2.0, 0.0, 1.5, 3.0}, charges{4.1, 7.0, 2.9, 6.2};
  CHECK(ratio_of_sums(charges, with_none).mean == Approx(r.mean));
  CHECK(ratio_of_sums(charges, with_none).n == 3);
  CHECK(ratio_of_sums(std::vector<double>{1}, std::vector<double>{0}).n == 0);
}

TEST_CASE("three captures are what is repeated, two are not") {
  // Level 1, 2 and 3 A in captures without any scatter of their own.
  const std::vector<double> x(12, 1.0);
  std::vector<double> y;
  std::vector<std::size_t> captures;
  for (std::size_t i = 0; i < 12; ++i) {
    captures.push_back(i / 4);
    y.push_back(1 + static_cast<double>(i / 4));
  }
  const Repeatability r = ratio_over_captures(y, x, captures);
  CHECK(r.groups == 3);
  CHECK(r.n == 12);
  CHECK(r.mean == Approx(2));
  CHECK(r.u == Approx(1 / std::sqrt(3.0)));  // sd of 1, 2, 3 over the root of three
  CHECK(*r.freedom == Approx(2));
  for (std::size_t& c : captures) c = std::min<std::size_t>(c, 1);
  CHECK(ratio_over_captures(y, x, captures).groups == 0);
}
