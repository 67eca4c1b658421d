// SPDX-License-Identifier: GPL-3.0-or-later
// Channels made of others: by hand, and against the traces' own values one by one.

#include "core/derive.h"

#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {

/// What is derived, as a trace.
MemoryTrace made(const Derivation& d, std::vector<const Trace*> of) {
  const DerivedForm form = derived_form(d, of);
  MemoryTrace out(form.kind, form.time_base);
  std::vector<DerivedPiece> open;  // pieces of the block that goes on
  const auto close = [&] {
    if (open.empty()) return;
    std::vector<double> values;
    std::vector<std::int64_t> times;
    for (const DerivedPiece& p : open) {
      values.insert(values.end(), p.values.begin(), p.values.end());
      times.insert(times.end(), p.times.begin(), p.times.end());
    }
    if (open.front().period > 0) {
      out.append(open.front().start, open.front().period, values);
    } else {
      out.append(times, values, open.back().end);
    }
    open.clear();
  };
  derive(d, of, [&](const DerivedPiece& p) {
    const bool other = !open.empty() && open.front().period != p.period;
    if (p.begins || other) close();
    open.push_back(p);
  });
  close();
  return out;
}

MemoryTrace instants(std::int64_t start, std::int64_t period, const std::vector<double>& values) {
  MemoryTrace out(SampleKind::instant, {1, 1000});
  out.append(start, period, values);
  return out;
}

}  // namespace

TEST_CASE("a product stands on the finer channel's times, where both have samples") {
  // A voltage every 4 ms on a straight line, a current every 1 ms that begins earlier.
  const MemoryTrace volts = instants(4, 4, {3.0, 3.4, 3.8});
  const MemoryTrace amperes = instants(0, 1, std::vector<double>(20, 0.5));
  const MemoryTrace p = made({DerivedBy::product, {"V", "I"}, 0}, {&volts, &amperes});
  REQUIRE(p.blocks().size() == 1);
  CHECK(p.blocks()[0].start == 4);
  CHECK(p.blocks()[0].count == 9);  // 4 … 12 ms
  CHECK(value_at(p, 0.004) == Approx(1.5));
  CHECK(value_at(p, 0.006) == Approx(1.6));
  CHECK(value_at(p, 0.012) == Approx(1.9));
  // The order of the two does not matter to where it stands.
  CHECK(made({DerivedBy::product, {"I", "V"}, 0}, {&amperes, &volts}).samples() == 9);
}

TEST_CASE("averaged samples take the other channel's mean over their interval") {
  MemoryTrace fine(SampleKind::averaged, {1, 1000}), coarse(SampleKind::averaged, {1, 1000});
  fine.append(0, 2, std::vector<double>{1, 1, 1, 1, 1, 1});
  coarse.append(0, 3, std::vector<double>{10, 20, 40, 80});
  const MemoryTrace sum = made({DerivedBy::sum, {"a", "b"}, 0}, {&fine, &coarse});
  REQUIRE(sum.samples() == 6);
  std::vector<double> v(6);
  sum.read(sum.blocks()[0], 0, v);
  // [2, 4) ms lies half in the first, half in the second of the coarse ones.
  CHECK(v[0] == Approx(11));
  CHECK(v[1] == Approx(1 + 15));
  CHECK(v[2] == Approx(1 + 20));
  CHECK(v[4] == Approx(1 + (40 + 80) / 2.0));
}

TEST_CASE("where one of them has a gap, nothing is made") {
  MemoryTrace a(SampleKind::averaged, {1, 1000}), b(SampleKind::averaged, {1, 1000});
  a.append(0, 1, std::vector<double>(10, 2));
  a.append(15, 1, std::vector<double>(10, 2));
  a.flag({Flag::over_range, 0.010, 0.015, 5});
  b.append(0, 1, std::vector<double>(20, 1));
  b.append(22, 1, std::vector<double>(3, 1));
  b.flag({Flag::over_range, 0.013, 0.014, 1});
  b.flag({Flag::not_a_number, 0.020, 0.022, 2});
  const MemoryTrace d = made({DerivedBy::difference, {"a", "b"}, 0}, {&a, &b});
  REQUIRE(d.blocks().size() == 3);
  CHECK(d.blocks()[0].count == 10);
  CHECK(d.blocks()[1].start == 15);
  CHECK(d.blocks()[1].count == 5);
  CHECK(d.blocks()[2].start == 22);
  CHECK(d.blocks()[2].count == 3);
  CHECK(measure(d).charge == Approx(18e-3));
  const std::vector<const Trace*> both{&a, &b};
  const auto flags = derived_flags(both);
  REQUIRE(flags.size() == 2);
  CHECK(flags[0].to_s == 0.015);
  CHECK(flags[1].flag == Flag::not_a_number);
}

TEST_CASE("a ratio over nothing is a gap") {
  const MemoryTrace a = instants(0, 1, {1, 2, 3, 4, 5}), b = instants(0, 1, {2, 2, 0, 2, 2});
  const MemoryTrace r = made({DerivedBy::ratio, {"a", "b"}, 0}, {&a, &b});
  REQUIRE(r.blocks().size() == 2);
  CHECK(r.samples() == 4);
  CHECK(value_at(r, 0.004) == Approx(2.5));
}

TEST_CASE("a running integral agrees with measuring from the beginning, over gaps too") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  for (int round = 0; round < 40; ++round) {
    const auto kind = round % 2 == 0 ? SampleKind::instant : SampleKind::averaged;
    const MemoryTrace trace = test::random_trace(random, kind, round % 4 >= 2);
    const MemoryTrace q = made({DerivedBy::running, {"I"}, 0}, {&trace});
    CHECK(q.kind() == SampleKind::instant);
    double whole = 0;
    for (const Block& block : q.blocks()) {
      for (const std::int64_t at : {std::int64_t{0}, block.count / 2, block.count - 1}) {
        const double t = q.time_base().seconds(tick_of(q, block, at));
        std::vector<double> value(1);
        q.read(block, at, value);
        const SpanFigures before = measure(trace, trace.from_s(), t);
        whole = std::max(whole, std::sqrt(std::fabs(before.square) * before.observed_s));
        CHECK(value[0] == Approx(before.charge).margin(1e-12 * (1 + whole)));
      }
    }
  }
}

TEST_CASE("a rolling mean is the mean of the samples around, cut at the ends") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  for (int round = 0; round < 24; ++round) {
    const auto kind = round % 2 == 0 ? SampleKind::instant : SampleKind::averaged;
    const MemoryTrace trace = test::random_trace(random, kind, round % 4 >= 2);
    const double window = std::pow(10.0, -4 + round % 4);
    const MemoryTrace slow = made({DerivedBy::rolling_mean, {"I"}, window}, {&trace});
    REQUIRE(slow.samples() == trace.samples());
    for (const Block& block : slow.blocks()) {
      const auto at = static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(block.count));
      const double from = trace.time_base().seconds(tick_of(trace, block, at)),
                   next = trace.time_base().seconds(tick_of(trace, block, at + 1));
      const double middle = kind == SampleKind::averaged ? (from + next) / 2 : from;
      const double begin = trace.time_base().seconds(block.start),
                   end = trace.time_base().seconds(block.end);
      const double a = std::max(begin, middle - window / 2), b = std::min(end, middle + window / 2);
      if (!(b > a)) continue;
      std::vector<double> value(1);
      slow.read(block, at, value);
      const SpanFigures around = measure(trace, a, b);
      const double scale = std::sqrt(std::fabs(around.square) / (b - a));
      CHECK(value[0] == Approx(around.charge / (b - a)).margin(1e-9 * scale));
    }
  }
}

TEST_CASE("a difference of traces on any bases is the difference of their values") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  for (int round = 0; round < 30; ++round) {
    const MemoryTrace a = test::random_trace(random, SampleKind::instant, round % 2 == 0);
    MemoryTrace b(SampleKind::instant, {1, 48'000});
    std::vector<double> values(5000);
    for (double& v : values) v = static_cast<double>(random() % 1000) * 1e-3;
    b.append(static_cast<std::int64_t>(random() % 20'000),
             1 + static_cast<std::int64_t>(random() % 30), values);
    const MemoryTrace d = made({DerivedBy::difference, {"a", "b"}, 0}, {&a, &b});
    std::int64_t seen = 0;
    for (const Block& block : d.blocks()) {
      for (std::int64_t at = 0; at < block.count; at += 1 + block.count / 7) {
        const double t = d.time_base().seconds(tick_of(d, block, at));
        std::vector<double> value(1);
        d.read(block, at, value);
        const auto x = value_at(a, t), y = value_at(b, t);
        REQUIRE((x && y));
        CHECK(value[0] == Approx(*x - *y).margin(1e-9));
        ++seen;
      }
    }
    CAPTURE(seen);
  }
}

TEST_CASE("units of what is derived") {
  const DerivedUnit a{Quantity::current, "A"}, v{Quantity::voltage, "V"}, w{Quantity::power, "W"},
      words{Quantity::logic, ""};
  CHECK(derived_unit({DerivedBy::product, {}, 0}, {v, a}).quantity == Quantity::power);
  CHECK(derived_unit({DerivedBy::product, {}, 0}, {a, v}).unit == "W");
  CHECK(derived_unit({DerivedBy::ratio, {}, 0}, {w, v}).quantity == Quantity::current);
  CHECK(derived_unit({DerivedBy::ratio, {}, 0}, {v, a}).unit == "V/A");
  CHECK(derived_unit({DerivedBy::ratio, {}, 0}, {a, a}).unit == "1");
  CHECK(derived_unit({DerivedBy::running, {}, 0}, {a}).quantity == Quantity::charge);
  CHECK(derived_unit({DerivedBy::running, {}, 0}, {w}).unit == "J");
  CHECK(derived_unit({DerivedBy::sum, {}, 0}, {a, a, a}).unit == "A");
  CHECK_THROWS_AS(derived_unit({DerivedBy::sum, {}, 0}, {a, v}), std::invalid_argument);
  CHECK_THROWS_AS(derived_unit({DerivedBy::product, {}, 0}, {a}), std::invalid_argument);
  CHECK_THROWS_AS(derived_unit({DerivedBy::difference, {}, 0}, {a, a, a}), std::invalid_argument);
  CHECK_THROWS_AS(derived_unit({DerivedBy::sum, {}, 0}, {words, words}), std::invalid_argument);
  CHECK_THROWS_AS(derived_by("quotient"), std::invalid_argument);
  CHECK(derived_by(key_of(DerivedBy::rolling_mean)) == DerivedBy::rolling_mean);
}

TEST_CASE("a current behind a regulator is referred to the rail ahead of it") {
  const Derivation d = parse_referral("I 1.8 V/3.6 V 10 uA:40 %,1 mA:80 %, 100 mA:92 %");
  CHECK(d.of == std::vector<std::string>{"I"});
  CHECK(d.behind_v == 1.8);
  CHECK(d.ahead_v == 3.6);
  REQUIRE(d.efficiency.size() == 3);
  CHECK(referred(d, 1e-3) == Approx(1e-3 * 0.5 / 0.8));
  CHECK(referred(d, 1e-6) == Approx(1e-6 * 0.5 / 0.4));  // beyond the curve as at its end
  CHECK(referred(d, 1) == Approx(0.5 / 0.92));
  CHECK(referred(d, 1e-4) == Approx(1e-4 * 0.5 / 0.6));  // half-way between on the logarithm
  CHECK(referred(d, 0) == 0);
  CHECK(referred(d, -1e-3) == Approx(-1e-3 * 0.5 / 0.8));
  for (const char* wrong :
       {"I", "I 1.8 V", "I 1.8 V/3.6 V", "I 1.8 V/3.6 V 1 mA", "I 1.8 V/3.6 V 1 mA:120 %",
        "I 1.8 V/3.6 V 1 mA:80 %,10 uA:40 %", "I 1.8/3.6 V 1 mA:80 %", "I 0 V/3.6 V 1 mA:80 %"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_referral(wrong), std::invalid_argument);
  }
  CHECK_THROWS(derived_unit(d, {{Quantity::voltage, "V"}}));
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, std::vector<double>{1e-3, 1e-4, 0.1});
  trace.append(10, 1, std::vector<double>{1e-3});
  const Trace* of[] = {&trace};
  std::vector<double> values;
  std::size_t begins = 0;
  derive(d, of, [&](const DerivedPiece& piece) {
    begins += piece.begins ? 1 : 0;
    values.insert(values.end(), piece.values.begin(), piece.values.end());
  });
  CHECK(begins == 2);
  REQUIRE(values.size() == 4);
  CHECK(values[2] == Approx(0.1 * 0.5 / 0.92));
}
