// SPDX-License-Identifier: GPL-3.0-or-later
// Against numpy.percentile and scipy.stats.binom.
#include "core/quantiles.h"

#include <catch2/catch.hpp>

#include <numeric>
#include <tuple>

using namespace kuvio;

TEST_CASE("quantiles lie on the line between order statistics") {
  const std::vector<double> v{3.2, 1.1, 9.7, 4.4, 2.0, 8.8, 5.5};
  CHECK(quantile(v, 0) == 1.1);
  CHECK(quantile(v, 0.1) == Approx(1.64));
  CHECK(quantile(v, 0.5) == 4.4);
  CHECK(quantile(v, 0.9) == Approx(9.16));
  CHECK(quantile(v, 0.95) == Approx(9.43));
  CHECK(quantile(v, 1) == 9.7);
  CHECK(quantile({7}, 0.3) == 7);
  std::vector<double> same = v;
  CHECK(quantile_in_place(same, 0.9) == quantile(v, 0.9));
  CHECK(median({1, 2, 3, 10}) == 2.5);
}

TEST_CASE("ranks that bound the 95th percentile are those of the binomial distribution") {
  for (const auto& [n, low, high] :
       {std::tuple{10, 8, 0}, std::tuple{20, 17, 0}, std::tuple{58, 52, 0}, std::tuple{59, 53, 59},
        std::tuple{93, 85, 92}, std::tuple{100, 91, 99}, std::tuple{200, 185, 196},
        std::tuple{1000, 938, 962}}) {
    INFO(n << " values");
    std::vector<double> v(static_cast<std::size_t>(n));
    std::iota(v.rbegin(), v.rend(), 1.0);  // in falling order: it sorts them
    const PercentileBounds bounds = p95_bounds(v);
    REQUIRE(bounds.low);
    CHECK(*bounds.low == low);
    CHECK(bounds.high.value_or(0) == high);
    CHECK(bounds.high.has_value() == (v.size() >= kNeededForP95));
  }
  CHECK_FALSE(p95_bounds({}).low);
  CHECK_FALSE(p95_bounds({1.0}).high);
}
