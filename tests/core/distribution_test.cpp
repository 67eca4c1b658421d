// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/distribution.h"

#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <numeric>

using namespace kuvio;

namespace {

/// Equal bins from the least value to the most, or equal in the logarithm (then over nine decades
/// at most). `count` above 0.
Bins bins_for(double least, double most, int count, bool logarithmic) {
  Bins out;
  const bool log = logarithmic && most > 0;
  if (log) {
    least = std::clamp(least, most * 1e-9, most / 10);
  } else if (!(most > least)) {
    const double room = std::max(std::fabs(most), 1e-12) * 1e-6;
    least -= room;
    most += room;
  }
  for (int i = 0; i <= count; ++i) {
    const double share = static_cast<double>(i) / count;
    out.edges.push_back(log ? least * std::pow(most / least, share)
                            : least + (most - least) * share);
  }
  out.edges.back() = most;
  return out;
}

double all(const std::vector<double>& v) { return std::accumulate(v.begin(), v.end(), 0.0); }

}  // namespace

TEST_CASE("time and charge of a distribution add up to those of the span") {
  std::mt19937_64 random(11);
  for (int round = 0; round < 80; ++round) {
    const MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::averaged : SampleKind::instant, round % 3 == 0);
    std::uniform_real_distribution<double> any(trace.from_s(), trace.to_s());
    double a = any(random), b = any(random);
    if (a > b) std::swap(a, b);
    if (!(b > a)) continue;
    const SpanFigures f = measure(trace, a, b);
    const Distribution d =
        distribution(trace, a, b, bins_for(-1e-3, 5e-3, 50, false), 1'000'000'000);
    CHECK(d.whole);
    CHECK(d.observed_s == Approx(f.observed_s).margin(1e-9 * (b - a)));
    CHECK(all(d.time_s) + d.below_s + d.above_s == Approx(d.observed_s).margin(1e-12));
    // Half of what lies to the neighbours is the trapezoid but for the span's edges.
    if (trace.kind() == SampleKind::averaged) {
      CHECK(all(d.charge) + d.charge_below + d.charge_above ==
            Approx(f.charge).margin(1e-9 * std::sqrt(f.square * f.observed_s) + 1e-15));
    }
  }
}

TEST_CASE("what nodes tell is what samples tell") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(500'000, 2e-6);
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (i % 100'000 > 97'000) values[i] = 5e-3 + 1e-6 * static_cast<double>(i % 11);
    values[i] += 1e-8 * static_cast<double>(i % 5);
  }
  trace.append(0, 1, values);
  const Bins bins = bins_for(1e-6, 1e-2, 40, true);
  const Distribution d = distribution(trace, 0.0005, 499.9, bins, 1'000'000'000);
  std::vector<double> plain(40, 0.0);
  for (std::size_t i = 0; i < 499'900; ++i)
    plain[static_cast<std::size_t>(bins.of(values[i]))] += i == 0 ? 0.0005 : 1e-3;
  for (std::size_t i = 0; i < plain.size(); ++i)
    CHECK(d.time_s[i] == Approx(plain[i]).margin(1e-9));
  CHECK(d.quantile(0.5) == Approx(2e-6).epsilon(0.3));
  CHECK(d.quantile(0.99) == Approx(5e-3).epsilon(0.3));
  CHECK(d.quantile(0.5) < d.quantile(0.9999));
}

TEST_CASE("a distribution from pieces is scaled to the whole and says so") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(1'000'000);
  std::mt19937_64 random(2);
  std::normal_distribution<double> normal(1, 0.1);
  for (double& v : values) v = normal(random);
  trace.append(0, 1, values);
  const Distribution d = distribution(trace, 0, 1000, bins_for(0.5, 1.5, 20, false), 100'000);
  CHECK_FALSE(d.whole);
  CHECK(d.observed_s == Approx(1000).epsilon(1e-9));
  CHECK(d.quantile(0.5) == Approx(1).epsilon(0.01));
  CHECK(d.quantile(0.8413) == Approx(1.1).epsilon(0.02));
  int asked = 0;
  const Distribution cut = distribution(trace, 0, 1000, bins_for(0.5, 1.5, 20, false),
                                        1'000'000'000, [&] { return ++asked < 3; });
  CHECK_FALSE(cut.whole);
}

TEST_CASE("instants are weighed with half of what lies to their neighbours") {
  MemoryTrace trace(SampleKind::instant, {1, 1});
  trace.append(std::vector<std::int64_t>{0, 1, 5, 7}, std::vector<double>{1, 2, 3, 4});
  const Distribution d = distribution(trace, 0, 7, bins_for(0.5, 4.5, 4, false), 100);
  CHECK(d.time_s[0] == Approx(0.5));
  CHECK(d.time_s[1] == Approx(2.5));
  CHECK(d.time_s[2] == Approx(3));
  CHECK(d.time_s[3] == Approx(1));
}

TEST_CASE("what repeats with the pieces that are looked at is seen as often as it is there") {
  // A square wave of two pieces of 4096 samples, every second of which lies high.
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> v;
  for (int i = 0; i < 512; ++i) v.insert(v.end(), 4096, i % 2 ? 5e-3 : 1e-6);
  trace.append(0, 1, v);
  const Bins bins{{1e-7, 1e-5, 1e-3, 1e-1}};
  const Distribution all = distribution(trace, trace.from_s(), trace.to_s(), bins, 1 << 30, {});
  const Distribution some =
      distribution(trace, trace.from_s(), trace.to_s(), bins, 512 * 4096 / 4, {});
  REQUIRE_FALSE(some.whole);
  const auto high = [&](const Distribution& d) {
    double seconds = 0;
    for (int b = 0; b < bins.count(); ++b)
      if (bins.of(5e-3) == b) seconds += d.time_s[static_cast<std::size_t>(b)];
    return seconds / d.observed_s;
  };
  CHECK(high(all) == Approx(0.5));
  CHECK(high(some) == Approx(0.5).margin(0.12));  // 128 pieces drawn: 4.4 % either way
}
