// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/verdict.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <random>

using namespace kuvio;

TEST_CASE("the whole interval decides, its very edge included") {
  CHECK(judge_upper(1, 2, 2) == Verdict::within);
  CHECK(judge_upper(1, 2.0001, 2) == Verdict::too_close);
  CHECK(judge_upper(2.0001, 3, 2) == Verdict::outside);
  CHECK(judge_lower(2, 3, 2) == Verdict::within);
  CHECK(judge_lower(1.9999, 3, 2) == Verdict::too_close);
  CHECK(judge_lower(1, 1.9999, 2) == Verdict::outside);
}

TEST_CASE("an open side is never on the good side of a limit, and never proves the bad one") {
  const Bounds may_be_more{true, false}, may_be_less{false, true}, both{true, true};
  CHECK(judge_upper(1, 1.1, 2, may_be_more) != Verdict::within);
  CHECK(judge_upper(3, 3.1, 2, may_be_more) == Verdict::outside);
  CHECK(judge_upper(1, 1.1, 2, may_be_less) == Verdict::within);
  CHECK(judge_upper(3, 3.1, 2, may_be_less) != Verdict::outside);
  CHECK(judge_lower(3, 3.1, 2, may_be_more) == Verdict::within);
  CHECK(judge_lower(1, 1.1, 2, may_be_more) != Verdict::outside);
  CHECK(judge_lower(3, 3.1, 2, may_be_less) != Verdict::within);
  for (const double at : {1.0, 3.0}) {
    CHECK(judge_upper(at, at, 2, both) == Verdict::too_close);
    CHECK(judge_lower(at, at, 2, both) == Verdict::too_close);
  }
}

TEST_CASE("an upper and a lower limit are mirror images") {
  std::mt19937_64 random(7);
  std::uniform_real_distribution<double> any(-3, 3);
  for (int i = 0; i < 1000; ++i) {
    const double a = any(random), b = any(random), limit = any(random);
    const double low = std::min(a, b), high = std::max(a, b);
    const Bounds bounds{any(random) > 1, any(random) > 1};
    CHECK(judge_upper(low, high, limit, bounds) ==
          judge_lower(-high, -low, -limit, bounds.mirrored()));
  }
}

TEST_CASE("the worst of verdicts goes before") {
  const Verdict order[] = {Verdict::outside, Verdict::no_data, Verdict::too_close, Verdict::within};
  for (int a = 0; a < 4; ++a) {
    for (int b = 0; b < 4; ++b) CHECK(worse(order[a], order[b]) == order[std::min(a, b)]);
  }
  Bounds sum;
  CHECK_FALSE(sum.any());
  sum |= {true, false};
  sum |= {false, true};
  CHECK((sum.lower && sum.upper));
}
