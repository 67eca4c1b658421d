// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/edge.h"

#include "core/ledger.h"
#include "core/measure.h"
#include "core/state_split.h"

#include "studies/edges.h"
#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

Recipe two(double threshold, double shortest_s = 0) {
  Recipe out{"two", "", {}};
  out.states.push_back({"Low", {-INFINITY, threshold, -INFINITY, threshold}, shortest_s, 0});
  out.states.push_back({"High", {threshold, INFINITY, threshold, INFINITY}, shortest_s, 0});
  return out;
}

MemoryTrace averaged(const std::vector<double>& values) {
  MemoryTrace out(SampleKind::averaged, {1, 1000});
  out.append(0, 1, values);
  return out;
}
MemoryTrace instants(const std::vector<double>& values) {
  MemoryTrace out(SampleKind::instant, {1, 1000});
  out.append(0, 1, values);
  return out;
}

std::vector<double> joined(const std::vector<std::pair<double, int>>& stays) {
  std::vector<double> out;
  for (const auto& [level, n] : stays) out.insert(out.end(), static_cast<std::size_t>(n), level);
  return out;
}

std::vector<VisitFigures> figures(const MemoryTrace& trace, const Recipe& recipe) {
  return measure_visits(trace, split(trace, recipe));
}

double total(const std::vector<VisitFigures>& all) {
  double out = 0;
  for (const VisitFigures& f : all) out += f.charge;
  return out;
}

}  // namespace

TEST_CASE("an edge lies inside the mixed sample, and neither level is lifted by the other") {
  // The change comes 0.3 into sample 20: it reads 0.7 of the step.
  auto v = joined({{3e-6, 20}, {60e-3, 30}, {3e-6, 20}});
  v[20] = 0.3 * 3e-6 + 0.7 * 60e-3;
  const MemoryTrace trace = averaged(v);
  for (const double threshold : {3e-3, 30e-3, 57e-3}) {
    const auto f = figures(trace, two(threshold));
    REQUIRE(f.size() == 3);
    CHECK(f[1].visit.from_s == Approx(20.3e-3).epsilon(1e-9));
    CHECK(f[1].visit.to_s == Approx(50e-3).epsilon(1e-9));
    CHECK(*f[0].mean == Approx(3e-6).epsilon(1e-9));
    CHECK(*f[1].mean == Approx(60e-3).epsilon(1e-9));
    CHECK(*f[0].peak == 3e-6);
    CHECK(*f[1].least == 60e-3);
    CHECK(total(f) == Approx(measure(trace).charge).epsilon(1e-14));
    // The samples' own model would give the high state 0.7 of the mixed sample.
    CHECK(f[1].shared_out == Approx(0.7 * 0.3 * (60e-3 - 3e-6) * 1e-3));
    CHECK(f[0].shared_out + f[1].shared_out + f[2].shared_out == Approx(0).margin(1e-15));
  }
}

TEST_CASE("between two instants the charge of the line is shared out by the levels") {
  const MemoryTrace trace = instants(joined({{3e-6, 20}, {60e-3, 30}, {3e-6, 20}}));
  const auto f = figures(trace, two(1e-3));
  REQUIRE(f.size() == 3);
  CHECK(f[1].visit.from_s == Approx(19.5e-3));
  CHECK(f[1].visit.length_s() == Approx(30e-3));
  CHECK(*f[0].mean == Approx(3e-6).epsilon(1e-9));
  CHECK(*f[0].peak == 3e-6);
  CHECK(*f[1].mean == Approx(60e-3).epsilon(1e-9));
  CHECK(total(f) == Approx(measure(trace).charge).epsilon(1e-14));
  // Each edge is uniform over its cell.
  CHECK(f[1].length_u_s == Approx(1e-3 * std::sqrt(2.0 / 12)));
  CHECK(f[1].charge_u == Approx(60e-3 * 1e-3 * std::sqrt(2.0 / 12)));
  CHECK(f[0].charge_u == Approx(3e-6 * 1e-3 * std::sqrt(1.0 / 12)));
}

TEST_CASE("of uneven logs the spacing at that edge counts") {
  // A sample a second asleep, one a millisecond in the burst.
  MemoryTrace trace(SampleKind::instant, {1, 1'000'000});
  std::vector<std::int64_t> times;
  std::vector<double> values;
  std::int64_t at = 0;
  const auto stay = [&](double level, int n, std::int64_t step) {
    for (int i = 0; i < n; ++i, at += step) {
      times.push_back(at);
      values.push_back(level);
    }
  };
  stay(3e-6, 20, 1'000'000);
  at -= 999'000;  // the logger wakes with the device
  stay(5e-3, 35, 1000);
  stay(3e-6, 20, 1'000'000);
  trace.append(times, values);
  const auto f = figures(trace, two(1e-3));
  REQUIRE(f.size() == 3);
  CHECK(f[1].visit.length_s() == Approx(35e-3));
  CHECK(f[1].length_u_s == Approx(1e-3 * std::sqrt(2.0 / 12)));
}

TEST_CASE("overshoot, spikes and slow edges lift no neighbour") {
  SECTION("an inrush on the first sample is the high state's own") {
    auto v = joined({{3e-6, 20}, {60e-3, 30}, {3e-6, 20}});
    v[20] = 300e-3;
    const auto f = figures(averaged(v), two(1e-3));
    CHECK(*f[1].peak == 300e-3);
    CHECK(*f[0].peak == 3e-6);
    CHECK(f[0].charge == Approx(19 * 3e-6 * 1e-3).epsilon(1e-9));
    CHECK(total(f) == Approx(measure(averaged(v)).charge).epsilon(1e-14));
  }
  SECTION("a spike beside the edge stays the peak of the state that it is in") {
    auto v = joined({{3e-6, 20}, {60e-3, 30}, {3e-6, 20}});
    v[21] = 220e-3;
    const auto f = figures(averaged(v), two(1e-3));
    CHECK(*f[1].peak == 220e-3);
    CHECK(*f[0].mean == Approx(3e-6).epsilon(1e-6));
  }
  SECTION("a change that takes four samples belongs to neither") {
    auto v = joined({{3e-6, 20}, {60e-3, 30}, {3e-6, 20}});
    for (int i = 0; i < 4; ++i) v[20 + i] = 60e-3 * (i + 1) / 5;
    for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
      MemoryTrace trace(kind, {1, 1000});
      trace.append(0, 1, v);
      for (const double threshold : {3e-3, 30e-3, 57e-3}) {
        const auto f = figures(trace, two(threshold));
        REQUIRE(f.size() == 3);
        CHECK(*f[0].peak == 3e-6);
        CHECK(*f[1].least == 60e-3);
        CHECK(*f[0].mean == Approx(3e-6).epsilon(1e-6));
        CHECK(*f[1].mean == Approx(60e-3).epsilon(1e-6));
        CHECK(total(f) == Approx(measure(trace).charge).epsilon(1e-13));
      }
    }
  }
  SECTION("a change that goes on and on stands where the raw trace crosses") {
    std::vector<double> v(20, 0.0);
    for (int i = 1; i <= 40; ++i) v.push_back(i * 1e-3);
    v.insert(v.end(), 20, 40e-3);
    const auto f = figures(averaged(v), two(19.5e-3));
    REQUIRE(f.size() == 2);
    CHECK(f[1].visit.begins.empty());
    CHECK(f[1].visit.from_s == Approx(39e-3));  // the first sample of 20 mA
    const auto g = figures(instants(v), two(20.5e-3));
    CHECK(g[1].visit.from_s == Approx(39.5e-3));  // where the line crosses
    CHECK(total(g) == Approx(measure(instants(v)).charge));
  }
}

TEST_CASE("a level hidden in the noise keeps its edges on samples") {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  auto v = joined({{1e-3, 50}, {1.1e-3, 50}, {1e-3, 50}});
  for (double& x : v) x += 60e-6 * normal(random);
  v[50] = 1.3e-3;  // crosses by chance
  const auto visits = split(averaged(v), two(1.2e-3));
  const MemoryTrace trace = averaged(v);
  std::size_t on_samples = 0;
  for (std::size_t i = 1; i < visits.size(); ++i) {
    const double sample = visits[i].from_s * 1000;
    const bool whole = std::fabs(sample - std::round(sample)) < 1e-9;
    on_samples += whole ? 1 : 0;
    if (!whole) CHECK(edge_figures(trace, visits[i - 1], visits[i]).clear);
  }
  CHECK(on_samples > visits.size() / 2);
}

TEST_CASE("a visit with no sample beyond its edges keeps its samples whole and is narrow") {
  auto v =
      joined({{3e-6, 20}, {60e-3, 2}, {3e-6, 20}, {60e-3, 1}, {3e-6, 20}, {60e-3, 3}, {3e-6, 20}});
  const MemoryTrace trace = averaged(v);
  const auto f = figures(trace, two(1e-3));
  REQUIRE(f.size() == 7);
  CHECK(f[1].visit.narrow);
  CHECK(f[1].visit.length_s() == Approx(2e-3));
  CHECK(f[1].charge == Approx(2 * 60e-6));
  CHECK(f[3].visit.narrow);
  CHECK_FALSE(f[5].visit.narrow);
  CHECK(*f[1].peak == 60e-3);
  const Ledger ledger = make_ledger({{&trace, f, {}}});
  const LedgerRow& high = *ledger.find("High");
  CHECK(high.whole_visits == 3);
  CHECK(high.narrow_visits == 2);
  CHECK(high.visit_length.n == 1);      // out of level and length statistics
  CHECK(high.charge_per_visit.n == 3);  // but its charge is right
}

TEST_CASE("levels of either sign, and currents that fall below zero, share their edges alike") {
  auto v = joined({{-20e-3, 20}, {5e-3, 30}, {-20e-3, 20}});
  v[20] = 0.25 * -20e-3 + 0.75 * 5e-3;
  v[50] = 0.6 * 5e-3 + 0.4 * -20e-3;
  const MemoryTrace trace = averaged(v);
  const auto f = figures(trace, two(0));
  REQUIRE(f.size() == 3);
  CHECK(f[1].visit.from_s == Approx(20.25e-3));
  CHECK(f[1].visit.to_s == Approx(50.6e-3));
  CHECK(*f[0].mean == Approx(-20e-3));
  CHECK(*f[1].mean == Approx(5e-3));
  CHECK(total(f) == Approx(measure(trace).charge).epsilon(1e-12));
}

TEST_CASE("edges are found again from a stored split, to the same figures") {
  std::mt19937_64 random(8);
  for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
    test::EdgesCase c;
    c.kind = kind;
    c.visits = 50;
    auto v = joined({{3e-6, 20}, {60e-3, 30}, {3e-6, 20}, {10e-3, 9}, {60e-3, 8}, {3e-6, 20}});
    std::normal_distribution<double> normal;
    for (double& x : v) x *= 1 + 0.01 * normal(random);
    v[20] *= 0.4;
    v[58] *= 0.7;
    MemoryTrace trace(kind, {1, 1000});
    trace.append(0, 1, v);
    const Visits visits = split(trace, two(1e-3));
    for (std::size_t i = 1; i < visits.size(); ++i) {
      const EdgeFigures e = edge_figures(trace, visits[i - 1], visits[i]);
      CHECK(e.at_s == visits[i].from_s);
      CHECK(visits[i - 1].ends == visits[i].begins);
      CHECK_FALSE(visits[i].begins.empty());
    }
  }
}

TEST_CASE("visits add up to the trace's charge on random traces under random recipes") {
  std::mt19937_64 random(21);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 120; ++round) {
    const MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::instant : SampleKind::averaged, round % 3 == 0);
    Recipe recipe;
    for (int i = 0; i < 4; ++i) {
      const double low = std::pow(10, -7 + 6 * unit(random)), high = low * 30;
      recipe.states.push_back(
          {"S" + std::to_string(i), {low, high, low / 2, high * 2}, unit(random) * 0.01, 0});
    }
    const auto f = figures(trace, recipe);
    REQUIRE(std::fabs(total(f) - measure(trace).charge) <= 1e-9 * test::absolute_charge(trace));
    for (const VisitFigures& v : f) {
      if (!v.peak || !v.mean || v.visit.narrow) continue;
      REQUIRE(v.visit.to_s > v.visit.from_s);
    }
  }
}

TEST_CASE("edges are unbiased wherever the threshold stands") {
  for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
    for (const bool uneven : {false, true}) {
      for (const double threshold : {0.05, 0.5, 0.95}) {
        for (const int samples : {10, 60}) {
          test::EdgesCase c;
          c.kind = kind;
          c.uneven = uneven;
          c.threshold = threshold;
          c.samples = samples;
          c.visits = 1500;
          const test::EdgesResult r = test::study_edges(c);
          INFO((kind == SampleKind::averaged ? "averaged " : "instants ")
               << uneven << " " << threshold << " " << samples);
          CHECK(r.found == c.visits);
          const bool line = kind == SampleKind::instant;
          CHECK(std::fabs(r.length_mean_error) < (line ? 0.02 + 0.03 : 0.01));  // 3 sd of the mean
          CHECK(r.edge_sd < (line ? 0.32 : 0.05));
          CHECK(std::fabs(r.quiet_mean_error) < 0.01);
          if (!line && samples == 60) CHECK(r.charge_worst < 0.007);
          CHECK(r.edge_u_ratio == Approx(1).epsilon(0.25));
          CHECK(r.closure < 1e-12);
          CHECK(r.low_peak < 1.1 * c.low);
          CHECK(r.high_least > 0.9 * c.high);
        }
      }
    }
  }
  test::EdgesCase noisy;
  noisy.noise = 0.1;
  noisy.visits = 4000;
  CHECK(std::fabs(test::study_edges(noisy).length_mean_error) < 0.02);
}
