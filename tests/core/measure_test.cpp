// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <numeric>

using namespace kuvio;

namespace {

/// The model integrated piece by piece with long doubles: slow, and independent of strides.
long double by_hand(const Trace& trace, long double a, long double b) {
  long double sum = 0;
  const long double tick = static_cast<long double>(trace.time_base().num) / trace.time_base().den;
  for (const Block& block : trace.blocks()) {
    std::vector<double> v(static_cast<std::size_t>(block.count));
    trace.read(block, 0, v);
    for (std::int64_t i = 0; i < block.count; ++i) {
      const long double t0 = tick_of(trace, block, i) * tick,
                        t1 = tick_of(trace, block, i + 1) * tick;
      const long double from = std::max(a, t0), to = std::min(b, t1);
      if (from >= to) continue;
      const auto k = static_cast<std::size_t>(i);
      if (trace.kind() == SampleKind::averaged) {
        sum += v[k] * (to - from);
      } else if (i + 1 < block.count) {
        const auto at = [&](long double t) {
          return v[k] + (v[k + 1] - static_cast<long double>(v[k])) * (t - t0) / (t1 - t0);
        };
        sum += (at(from) + at(to)) / 2 * (to - from);
      }
    }
  }
  return sum;
}

}  // namespace

TEST_CASE("a ramp of instants has its exact integral between samples") {
  MemoryTrace trace(SampleKind::instant, {1, 1000});
  std::vector<double> values(1001);
  std::iota(values.begin(), values.end(), 0.0);  // 1 A per ms
  trace.append(0, 1, values);
  const SpanFigures f = measure(trace, 0.1234567, 0.7654321);
  CHECK(f.charge ==
        Approx(1000 * (0.7654321 * 0.7654321 - 0.1234567 * 0.1234567) / 2).epsilon(1e-13));
  CHECK(f.samples == 765 - 124 + 1);
  CHECK(*f.min == 124);
  CHECK(*f.max == 765);
  CHECK(*f.rms() == Approx(std::sqrt(1e6 * (std::pow(0.7654321, 3) - std::pow(0.1234567, 3)) / 3 /
                                     (0.7654321 - 0.1234567)))
                        .epsilon(1e-12));
}

TEST_CASE("a ramp of averaged samples counts the parts of its edge intervals") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  const std::vector<double> values{1, 2, 3, 4};
  trace.append(0, 1, values);
  const SpanFigures f = measure(trace, 0.00025, 0.0035);
  CHECK(f.charge == Approx(0.00075 * 1 + 0.001 * 2 + 0.001 * 3 + 0.0005 * 4).epsilon(1e-13));
  CHECK(f.samples == 4);
  CHECK(measure(trace).observed_s == Approx(0.004));
  CHECK(measure(trace, 0.001, 0.002).samples == 1);
  CHECK(*measure(trace, 0.001, 0.002).mean() == Approx(2));
}

TEST_CASE("a span without a sample in it has the model's charge and the extremes at its edges") {
  MemoryTrace trace(SampleKind::instant, {1, 10});
  trace.append(0, 1, std::vector<double>{0, 1, 2});
  const SpanFigures f = measure(trace, 0.12, 0.18);
  CHECK(f.samples == 0);
  CHECK(f.charge == Approx(0.06 * 1.5));
  CHECK(*f.min == Approx(1.2));
  CHECK(*f.max == Approx(1.8));
}

TEST_CASE("a gap is not integrated but reported as missing") {
  for (const SampleKind kind : {SampleKind::instant, SampleKind::averaged}) {
    MemoryTrace trace(kind, {1, 1000});
    trace.append(0, 1, std::vector<double>(101, 1.0));
    trace.append(500, 1, std::vector<double>(101, 1.0));
    const double covered = kind == SampleKind::instant ? 0.200 : 0.202;
    const SpanFigures f = measure(trace);
    CHECK(f.charge == Approx(covered));
    CHECK(f.observed_s == Approx(covered));
    CHECK(f.missing_s == Approx(f.duration_s() - covered));
    CHECK(*f.mean() == Approx(1.0));
    CHECK_FALSE(measure(trace, 0.2, 0.3).mean());
  }
}

TEST_CASE("charges of neighbouring spans add up, whatever the edges, kinds, gaps and times") {
  std::mt19937_64 random(7);
  for (int round = 0; round < 60; ++round) {
    const SampleKind kind = round % 2 ? SampleKind::instant : SampleKind::averaged;
    const MemoryTrace trace = test::random_trace(random, kind, round % 3 == 0);
    std::uniform_real_distribution<double> any(trace.from_s(), trace.to_s());
    const double tolerance = 1e-12 * test::absolute_charge(trace) + 1e-300;
    for (int i = 0; i < 20; ++i) {
      std::array<double, 3> t{any(random), any(random), any(random)};
      std::sort(t.begin(), t.end());
      const double ab = measure(trace, t[0], t[1]).charge, bc = measure(trace, t[1], t[2]).charge;
      const double ac = measure(trace, t[0], t[2]).charge;
      REQUIRE(std::fabs(ab + bc - ac) <= tolerance);
      REQUIRE(std::fabs(ac - static_cast<double>(by_hand(trace, t[0], t[2]))) <=
              1e-9 * test::absolute_charge(trace) + 1e-300);
    }
  }
}

TEST_CASE("a nanoampere for a millisecond after a thousand coulombs is exact") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(1'000'000, 1.0);  // 1000 C
  values.insert(values.end(), 1000, 1e-9);
  trace.append(0, 1, values);
  CHECK(measure(trace, 1000.5, 1000.501).charge == Approx(1e-12).epsilon(1e-6));
}

TEST_CASE("48 kHz for an hour ends at 3600 s") {
  CHECK(TimeBase{1, 48000}.seconds(48000LL * 3600) == 3600.0);
  CHECK(TimeBase{1, 1000}.ticks(0.3) == 300);
}

TEST_CASE("over-range inside makes a lower bound") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, std::vector<double>(10, 1.0));
  trace.append(12, 1, std::vector<double>(10, 1.0));
  trace.flag({Flag::over_range, 0.010, 0.012, 2});
  CHECK(measure(trace).bounds().lower);
  CHECK(measure(trace).over_range == 2);
  CHECK_FALSE(measure(trace, 0, 0.005).bounds().lower);
}

TEST_CASE("the value at a moment is the model's") {
  MemoryTrace line(SampleKind::instant, {1, 10}), step(SampleKind::averaged, {1, 10});
  line.append(0, 1, std::vector<double>{1, 3, 2});  // 0 to 0.2 s
  line.append(5, 2, std::vector<double>{7, 8});     // 0.5 to 0.7 s
  step.append(0, 1, std::vector<double>{1, 3});     // 0 to 0.2 s
  step.append(2, 2, std::vector<double>{5, 6});     // goes on at once, at another rate
  step.append(std::vector<std::int64_t>{20, 23}, std::vector<double>{9, 10}, 30);
  CHECK(*value_at(line, 0) == 1);
  CHECK(*value_at(line, 0.05) == Approx(2));
  CHECK(*value_at(line, 0.175) == Approx(2.25));
  CHECK(*value_at(line, 0.2) == 2);
  CHECK_FALSE(value_at(line, 0.3));
  CHECK(*value_at(line, 0.6) == Approx(7.5));
  CHECK_FALSE(value_at(line, 0.71));
  CHECK_FALSE(value_at(line, -0.01));
  CHECK(*value_at(step, 0.199) == 3);
  CHECK(*value_at(step, 0.2) == 5);  // of the block that begins there
  CHECK(*value_at(step, 0.45) == 6);
  CHECK_FALSE(value_at(step, 1.0));
  CHECK(*value_at(step, 2.29) == 9);
  CHECK(*value_at(step, 2.95) == 10);
  CHECK_FALSE(value_at(MemoryTrace(SampleKind::instant, {1, 1}), 0));
}
