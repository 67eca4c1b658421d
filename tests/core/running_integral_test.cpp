// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/running_integral.h"

#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("every point of a running integral lies on it, at any zoom, over gaps") {
  std::mt19937_64 random(4);
  for (int round = 0; round < 60; ++round) {
    const MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::averaged : SampleKind::instant, round % 3 == 0);
    const double begin = trace.from_s(), length = trace.to_s() - begin;
    std::uniform_real_distribution<double> any(begin, begin + length);
    double a = any(random), b = any(random);
    if (a > b) std::swap(a, b);
    if (!(b > a)) continue;
    const double since = any(random);
    const auto points = running_integral(trace, since, a, b, 1 + static_cast<int>(random() % 300));
    double scale = 0;
    for (const TracePoint& p : points) scale = std::max(scale, std::fabs(p.value));
    double last = a;
    for (const TracePoint& p : points) {
      REQUIRE(p.time_s >= last - 1e-9 * length);
      REQUIRE(p.time_s <= b + 1e-9 * length);
      last = p.time_s;
      const double right = since <= p.time_s ? measure(trace, since, p.time_s).charge
                                             : -measure(trace, p.time_s, since).charge;
      REQUIRE(p.value == Approx(right).margin(1e-9 * (scale + std::fabs(measure(trace).charge))));
    }
  }
}

TEST_CASE("a running integral of a long trace has a point in every column") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(3'000'000);
  for (std::size_t i = 0; i < values.size(); ++i) values[i] = 1e-3 * static_cast<double>(i % 7);
  trace.append(0, 1, values);
  const auto points = running_integral(trace, 0, 10, 2900, 800);
  REQUIRE(points.size() > 800);
  for (std::size_t i = 1; i < points.size(); ++i)
    CHECK(points[i].time_s - points[i - 1].time_s < 1.25 * 2890 / 800);
  CHECK(points.back().value == Approx(measure(trace, 0, 2900).charge));
}

TEST_CASE("a rolling mean is the mean around each moment; where nothing is, nothing stands") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(400'000);
  for (std::size_t i = 0; i < values.size(); ++i)
    values[i] = 2 + std::sin(static_cast<double>(i) * 1e-4);
  trace.append(0, 1, values);
  trace.append(500'000, 1, values);
  for (const double window : {0.05, 3.0, 40.0}) {
    const auto points = rolling_mean(trace, window, 0, 900, 400);
    bool gap = false;
    for (const TracePoint& p : points) {
      const double a = std::max(0.0, p.time_s - window / 2),
                   b = std::min(900.0, p.time_s + window / 2);
      const double slope = 0.1;  // A/s at most, over what the window may be longer
      CHECK(p.value == Approx(*measure(trace, a, b).mean()).margin(slope * window / 32 + 1e-9));
      CHECK((p.time_s < 400 + window / 2 + 1e-9 || p.time_s > 500 - window / 2 - 1e-9));
      gap = gap || (p.gap_before && p.time_s > 1);
    }
    CHECK(gap);
  }
  CHECK_FALSE(mean_about(trace, 420, 480, 0.1));
}
