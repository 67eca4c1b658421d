// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compensated_sum.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>
#include <vector>

using namespace kuvio;

TEST_CASE("a sum keeps a small term beside a large one") {
  Sum s;
  s += 1e9;
  for (int i = 0; i < 1000; ++i) s += 1e-12;
  s -= Sum(1e9);
  CHECK(s.value() == Approx(1e-9).epsilon(1e-9));
}

TEST_CASE("a sum is right to a double's rounding, whatever cancels in it and in whatever order") {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> exponent(-30, 30), unit(-1, 1);
  for (int round = 0; round < 20; ++round) {
    std::vector<double> terms;
    for (int i = 0; i < 500; ++i) terms.push_back(std::ldexp(unit(random), int(exponent(random))));
    for (int i = 0; i < 499; ++i) terms.push_back(-terms[static_cast<std::size_t>(i)]);
    std::shuffle(terms.begin(), terms.end(), random);
    Sum one, left, right;
    __float128 truth = 0;
    for (std::size_t i = 0; i < terms.size(); ++i) {
      one += terms[i];
      (i % 2 == 0 ? left : right) += terms[i];
      truth += terms[i];
    }
    left += right;
    // 2^30 with some 10^3 terms: two doubles hold 2^-76 of the greatest.
    CHECK(std::fabs(one.value() - static_cast<double>(truth)) < 1e-12);
    CHECK(std::fabs(left.value() - static_cast<double>(truth)) < 1e-12);
  }
}
