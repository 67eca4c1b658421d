// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/special_value.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <limits>

using namespace kuvio;

TEST_CASE("what stands for a sample that is none is one of three, in whatever form it comes") {
  constexpr double kInf = std::numeric_limits<double>::infinity();
  for (const double v : {9.9e37, 9.95e37, 1e38, 9.9000001e37, double(9.9e37F), kInf, 9.92e37}) {
    CHECK(standard_value(v) == kOverRange);
    CHECK(standard_value(-v) == kBelowRange);
    CHECK(flag_of_value(standard_value(v)) == Flag::over_range);
    CHECK(flag_of_value(standard_value(-v)) == Flag::below_range);
  }
  for (const double v : {9.91e37, double(9.91e37F), -9.91e37, std::nan("")}) {
    CHECK(standard_value(v) == kNotANumber);
    CHECK(flag_of_value(standard_value(v)) == Flag::not_a_number);
  }
  CHECK(flag_of_value(kRangeChange) == Flag::range_change);
  for (const double v : {0.0, 1e-12, -3.0, 9.7e37}) CHECK_FALSE(flag_of_value(v));
}

TEST_CASE("a factor turns a number and never a special one, but for its side") {
  CHECK(standard_value(2, 1e-3) == 2e-3);
  CHECK(standard_value(9.9e37, 1e-3) == kOverRange);
  CHECK(standard_value(9.9e37, -1) == kBelowRange);
  CHECK(standard_value(-9.9e37, -1e-3) == kOverRange);
  CHECK(standard_value(9.91e37, -1) == kNotANumber);
}

TEST_CASE("words for a sample that is none keep their sign") {
  for (const char* word : {"OL", "OVLD", "OVL", "Overload", "inf", "+INF"})
    CHECK(special_word(word) == kOverRange);
  for (const char* word : {"-OL", "-OVLD", "-Overload", "-inf"})
    CHECK(special_word(word) == kBelowRange);
  for (const char* word : {"NaN", "nan", "NAN"}) CHECK(special_word(word) == kNotANumber);
  for (const char* word : {"", "1.5", "OLx", "over"}) CHECK_FALSE(special_word(word));
}
