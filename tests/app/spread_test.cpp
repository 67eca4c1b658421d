// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/spread.h"

#include "core/quantiles.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio;
using namespace kuvio::app;

namespace {

Bins as_high_as(int pixels, double low, double high) {
  Bins out;
  for (int i = 0; i <= pixels; ++i)
    out.edges.push_back(low * std::pow(high / low, static_cast<double>(i) / pixels));
  return out;
}

}  // namespace

TEST_CASE("percentiles come from the samples, whatever the height of the picture") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> noise;
  std::vector<double> values;
  for (int i = 0; i < 200'000; ++i) {
    const double level = i % 1000 < 870 ? 3e-6 : i % 1000 < 985 ? 0.8e-3 : 28e-3;
    values.push_back(level * (1 + 0.05 * noise(random)) + 0.2e-6 * noise(random));
  }
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, values);
  std::vector<SpreadViewPtr> seen;
  for (const int pixels : {17, 93, 260}) {
    SpreadRequest request;
    request.to_s = 200;
    request.bins = as_high_as(pixels, 1e-6, 0.1);
    seen.push_back(spread_of(trace, request, std::int64_t{1} << 40, {}));
    REQUIRE(seen.back());
    REQUIRE(seen.back()->final);
    CHECK(seen.back()->spread.time_s.size() == static_cast<std::size_t>(pixels));
    double time = seen.back()->spread.below_s + seen.back()->spread.above_s;
    for (const double t : seen.back()->spread.time_s) time += t;
    CHECK(time == Approx(200));
  }
  for (std::size_t i = 0; i < SpreadView::kShares.size(); ++i) {
    const double truth = quantile(values, SpreadView::kShares[i]);
    for (const SpreadViewPtr& one : seen) CHECK(one->levels[i] == Approx(truth).epsilon(0.003));
    CHECK(seen[0]->levels[i] == Approx(seen[2]->levels[i]).epsilon(0.003));
  }
}

TEST_CASE("percentiles below zero and about zero") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  for (int i = 0; i < 1000; ++i) values.push_back(i < 600 ? -5e-3 : i < 950 ? 0.0 : 1e-3);
  trace.append(0, 1, values);
  SpreadRequest request;
  request.to_s = 1;
  request.bins = as_high_as(50, 1e-6, 0.1);
  const auto view = spread_of(trace, request, std::int64_t{1} << 40, {});
  REQUIRE(view);
  CHECK(view->levels[0] == Approx(-5e-3).epsilon(0.01));
  CHECK(std::fabs(view->levels[1]) < 1e-9);
  CHECK(view->levels[2] == Approx(1e-3).epsilon(0.01));
}
