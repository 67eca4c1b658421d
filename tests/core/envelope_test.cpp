// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/envelope.h"

#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("every column's extremes are those of the samples in it") {
  std::mt19937_64 random(11);
  for (int round = 0; round < 80; ++round) {
    const SampleKind kind = round % 2 ? SampleKind::instant : SampleKind::averaged;
    const MemoryTrace trace = test::random_trace(random, kind, round % 4 == 3);
    std::uniform_real_distribution<double> any(trace.from_s(), trace.to_s());
    double a = any(random), b = any(random);
    if (a > b) std::swap(a, b);
    if (!(b > a)) continue;
    const int columns = 1 + static_cast<int>(random() % (round % 5 == 0 ? 3 : 200));
    const auto got = envelope(trace, a, b, columns);
    std::vector<EnvelopeColumn> want(got.size());
    const double width = (b - a) / columns;
    for (const Block& block : trace.blocks()) {
      for (std::int64_t i = 0; i < block.count; ++i) {
        double v = 0;
        trace.read(block, i, {&v, 1});
        const double t0 = trace.time_base().seconds(tick_of(trace, block, i));
        const double t1 = kind == SampleKind::averaged
                              ? trace.time_base().seconds(tick_of(trace, block, i + 1))
                              : t0;
        for (int c = 0; c < columns; ++c) {
          const double x0 = a + width * c, x1 = a + width * (c + 1);
          const bool inside =
              kind == SampleKind::averaged ? t0 < x1 && t1 > x0 : t0 >= x0 && t0 < x1;
          if (!inside) continue;
          EnvelopeColumn& w = want[static_cast<std::size_t>(c)];
          w.lo = w.any ? std::min(w.lo, v) : v;
          w.hi = w.any ? std::max(w.hi, v) : v;
          w.any = true;
        }
      }
    }
    int differ = 0;  // a sample on a column's very edge may fall to either side by rounding
    for (std::size_t c = 0; c < got.size(); ++c) {
      differ += got[c].any != want[c].any ||
                (got[c].any && (got[c].lo != want[c].lo || got[c].hi != want[c].hi));
    }
    REQUIRE(differ <= 1);
  }
}

TEST_CASE("a single sample's spike shows at every zoom") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(2'000'000, 1e-6);
  values[1'234'567] = 0.5;
  trace.append(0, 1, values);
  for (const double half : {1000.0, 100.0, 1.0, 0.01}) {
    const double t = 1234.567, from = std::max(0.0, t - half);
    double most = 0;
    for (const EnvelopeColumn& c : envelope(trace, from, std::min(2000.0, t + half), 700))
      most = std::max(most, c.hi);
    CHECK(most == 0.5);
  }
}

TEST_CASE("the envelope of a growing trace holds what the whole one holds, a quarter column wide") {
  std::mt19937_64 random(21);
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  MemoryTrace trace(kind, {1, 1000});
  GrowingEnvelope growing(50);
  std::uniform_real_distribution<double> value(-1, 1);
  std::int64_t next = 700;
  for (int step = 0; step < 60; ++step) {
    std::vector<double> values(1 + random() % (step < 20 ? 40 : 3000));
    for (double& v : values) v = value(random) * (random() % 500 == 0 ? 100 : 1);
    if (random() % 4 == 0) next += static_cast<std::int64_t>(random() % 900);
    trace.append(next, 1, values);
    next += static_cast<std::int64_t>(values.size());
    growing.grow(trace);
    const double from = trace.from_s(), to = trace.to_s();
    if (!(to > from)) continue;
    const auto got = growing.columns(from, to, 50);
    const auto exact = envelope(trace, from, to, 50);
    const double width = (to - from) / 50;
    for (std::size_t c = 0; c < got.size(); ++c) {
      const double left = from + static_cast<double>(c) * width;
      const auto around =
          envelope(trace, std::max(from, left - 0.26 * width), std::min(to, left + 1.26 * width), 1)
              .front();
      REQUIRE(
          (!exact[c].any || (got[c].any && got[c].lo <= exact[c].lo && got[c].hi >= exact[c].hi)));
      REQUIRE((!got[c].any || (around.any && got[c].lo >= around.lo && got[c].hi <= around.hi)));
      REQUIRE((!exact[c].missing || got[c].missing));
    }
  }
  // Another clock: all of it lies elsewhere.
  MemoryTrace later(kind, {1, 1000});
  later.append(5'000'000, 1, std::vector<double>(2'000'000, 1));
  growing.grow(later);
  const auto moved = growing.columns(later.from_s(), later.to_s(), 50);
  CHECK(std::all_of(moved.begin(), moved.end(), [](const auto& c) { return c.any; }));
}
