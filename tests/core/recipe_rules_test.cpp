// SPDX-License-Identifier: GPL-3.0-or-later
// What a recipe says beside levels: a smoothing window, what a visit must contain and come after,
// and moments at which it begins and ends. Truths are those that the traces were made with.

#include "core/compensated_sum.h"
#include "core/edits.h"
#include "core/ledger.h"
#include "core/measure.h"
#include "core/state_split.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::names;
using test::trace_of;

namespace {

using Why = Rejected::Why;

Band below(double high) { return {-INFINITY, high, -INFINITY, high}; }
Band above(double low) { return {low, INFINITY, low, INFINITY}; }

StateRule of_level(const char* name, Band level) {
  StateRule out;
  out.name = name;
  out.level = level;
  return out;
}

Recipe two() {
  return {"two", "", {of_level("Sleep", below(1e-3)), of_level("Send", above(1e-3))}};
}

std::size_t turned_away(const SplitResult& result, std::size_t rule, Why why) {
  for (const Rejected& r : result.rejected) {
    if (r.rule == rule && r.why == why) return r.stretches;
  }
  return 0;
}

}  // namespace

TEST_CASE("a bursty transmission is one visit, from its first burst to the end of its last") {
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  for (int round = 0; round < 40; ++round) {
    // Bursts of 2 to 6 ms, 3 to 14 ms apart, between long rests; a window of 20 ms.
    std::vector<std::pair<double, int>> levels;
    std::vector<std::pair<int, int>> truth;
    int at = 0;
    const auto put = [&](double level, int ms) {
      levels.emplace_back(level, ms);
      at += ms;
    };
    for (int visit = 0; visit < 5; ++visit) {
      put(3e-6, 100 + static_cast<int>(random() % 200));
      const int from = at;
      for (int bursts = 2 + static_cast<int>(random() % 8); bursts > 0; --bursts) {
        put(60e-3, 2 + static_cast<int>(random() % 5));
        if (bursts > 1) put(3e-6, 3 + static_cast<int>(random() % 12));
      }
      truth.emplace_back(from, at);
    }
    put(3e-6, 150);
    std::vector<double> values;
    for (const auto& [level, ms] : levels) {
      for (int i = 0; i < ms; ++i) values.push_back(level * (1 + 0.02 * normal(random)));
    }
    MemoryTrace trace(SampleKind::averaged, {1, 1000});
    trace.append(0, 1, values);
    Recipe recipe = two();
    recipe.smooth = {20e-3, Smoothing::Take::max};
    const Visits visits = split(trace, recipe);
    std::vector<std::pair<double, double>> sends;
    for (const Visit& v : visits) {
      if (v.state == "Send") sends.emplace_back(v.from_s, v.to_s);
    }
    REQUIRE(sends.size() == truth.size());
    for (std::size_t i = 0; i < truth.size(); ++i) {
      CHECK(sends[i].first == Approx(truth[i].first * 1e-3).margin(1.01e-3));
      CHECK(sends[i].second == Approx(truth[i].second * 1e-3).margin(1.01e-3));
    }
    recipe.smooth = {};
    CHECK(split(trace, recipe).size() > visits.size());
  }
}

TEST_CASE("in heavy noise a running median or mean decides, and edges stay within some samples") {
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  for (const auto take : {Smoothing::Take::median, Smoothing::Take::mean}) {
    int wrong = 0, edges = 0, odd = 0;
    for (int round = 0; round < 40; ++round) {
      std::vector<double> values;
      std::vector<int> truth;
      for (int visit = 0; visit < 8; ++visit) {
        const int n = 80 + static_cast<int>(random() % 100);
        const double level = visit % 2 == 0 ? 1e-3 : 3e-3;
        if (visit > 0) truth.push_back(static_cast<int>(values.size()));
        for (int i = 0; i < n; ++i) values.push_back(level + 0.8e-3 * normal(random));
      }
      MemoryTrace trace(SampleKind::averaged, {1, 1000});
      trace.append(0, 1, values);
      Recipe recipe{"noisy", "", {of_level("Low", below(2e-3)), of_level("High", above(2e-3))}};
      for (StateRule& rule : recipe.states) rule.shortest_s = 30e-3;
      recipe.smooth = {25e-3, take};
      const Visits visits = split(trace, recipe);
      if (visits.size() != truth.size() + 1) {
        // At the trace's ends there is half a window (a step of 4.5 sigma, some 200 times a run),
        // and what the trace cuts is held to no length.
        ++odd;
        continue;
      }
      for (std::size_t i = 0; i < truth.size(); ++i) {
        ++edges;
        wrong += std::fabs(visits[i].to_s - truth[i] * 1e-3) > 6e-3 ? 1 : 0;
      }
    }
    CHECK(odd <= 1);
    CHECK(wrong < edges / 20);
  }
}

TEST_CASE("a visit that lacks what it must contain is none, and the next rule is tried there") {
  // Three stays of the radio's level; one has a peak, one is too short, one too long.
  const MemoryTrace trace = trace_of({{3e-6, 100},
                                      {60e-3, 40},
                                      {180e-3, 5},
                                      {60e-3, 40},
                                      {3e-6, 100},
                                      {60e-3, 85},
                                      {3e-6, 100},
                                      {180e-3, 10},
                                      {3e-6, 100},
                                      {180e-3, 400},
                                      {3e-6, 100}});
  Recipe recipe{"must",
                "",
                {of_level("Sleep", below(1e-3)), of_level("Uplink", above(20e-3)),
                 of_level("Busy", above(1e-3))}};
  recipe.states[1].must.peak_above = 150e-3;
  recipe.states[1].must.longer_s = 50e-3;
  recipe.states[1].must.shorter_s = 200e-3;
  const SplitResult result = split_beside(trace, recipe, {});
  CHECK(names(result.visits) == std::vector<std::string>{"Sleep", "Uplink", "Sleep", "Busy",
                                                         "Sleep", "Busy", "Sleep", "Busy",
                                                         "Sleep"});
  CHECK(turned_away(result, 1, Why::no_peak) == 1);
  CHECK(turned_away(result, 1, Why::too_short) == 1);
  CHECK(turned_away(result, 1, Why::too_long) == 1);
  CHECK(in_words(result.rejected.front(), recipe, "A") ==
        "1 stretch had the level of Uplink but no peak over 150\u2009mA");
  // A window sees each from further away: it is turned away once.
  recipe.smooth = {15e-3, Smoothing::Take::max};
  const SplitResult smoothed = split_beside(trace, recipe, {});
  CHECK(names(smoothed.visits) == names(result.visits));
  CHECK(smoothed.rejected == result.rejected);
  recipe.smooth = {};
  // Without a rule that follows they are Unassigned; a mean is asked for alike.
  recipe.states.pop_back();
  recipe.states[1].must = {};
  recipe.states[1].must.mean_above = 100e-3;
  const SplitResult bare = split_beside(trace, recipe, {});
  CHECK(names(bare.visits) == std::vector<std::string>{"Sleep", kUnassigned, "Sleep", kUnassigned,
                                                       "Sleep", "Uplink", "Sleep", "Uplink",
                                                       "Sleep"});
  CHECK(turned_away(bare, 1, Why::mean_low) == 2);
}

TEST_CASE("a state comes only after those that it says, as they are in the end") {
  const MemoryTrace trace = trace_of({{3e-6, 50},
                                      {5e-3, 50},
                                      {50e-3, 50},
                                      {3e-6, 50},
                                      {50e-3, 50},
                                      {5e-3, 50},
                                      {50e-3, 50},
                                      {3e-6, 50}});
  Recipe recipe{"after",
                "",
                {of_level("Sleep", below(1e-3)), of_level("Send", above(20e-3)),
                 of_level("Wake", {1e-3, 20e-3, 1e-3, 20e-3}), of_level("Other", above(20e-3))}};
  recipe.states[1].after = {"Wake"};
  const SplitResult result = split_beside(trace, recipe, {});
  CHECK(names(result.visits) == std::vector<std::string>{"Sleep", "Wake", "Send", "Sleep", "Other",
                                                         "Wake", "Send", "Sleep"});
  CHECK(turned_away(result, 1, Why::not_after) == 1);
  // What was turned away itself is what comes before: a chain.
  recipe.states[2].after = {"Sleep"};
  const SplitResult chain = split_beside(trace, recipe, {});
  CHECK(names(chain.visits) == std::vector<std::string>{"Sleep", "Wake", "Send", "Sleep", "Other",
                                                        kUnassigned, "Other", "Sleep"});
}

TEST_CASE("a visit that the level shows begins and ends where the log says") {
  const MemoryTrace trace = trace_of({{3e-6, 100},
                                      {60e-3, 100},
                                      {3e-6, 100},
                                      {60e-3, 100},
                                      {3e-6, 100},
                                      {60e-3, 100},
                                      {3e-6, 50}});
  Recipe recipe = two();
  recipe.states[1].begins = Anchor{};
  recipe.states[1].ends = Anchor{};
  // The first begins earlier and ends later than its level, the second the other way round, the
  // third has no line that begins it.
  const Beside beside{
      {}, {{}, {{{0.0905, {}}, {0.3103, {}}}, {{0.2152, {}}, {0.3897, {}}, {0.62, {}}}}}};
  const SplitResult result = split_beside(trace, recipe, beside);
  REQUIRE(names(result.visits) == std::vector<std::string>{"Sleep", "Send", "Sleep", "Send",
                                                           "Sleep", kUnassigned, "Sleep"});
  CHECK(result.visits[1].from_s == 0.0905);
  CHECK(result.visits[1].to_s == 0.2152);
  CHECK(result.visits[3].from_s == 0.3103);
  CHECK(result.visits[3].to_s == 0.3897);
  CHECK(turned_away(result, 1, Why::no_begin) == 1);
  // The charge is that of the samples between the moments.
  const auto figures = measure_visits(trace, result.visits);
  CHECK(figures[1].charge == Approx(60e-3 * 0.1 + 3e-6 * (0.0095 + 0.0152)).epsilon(1e-9));
  CHECK(figures[3].charge == Approx(60e-3 * (0.3897 - 0.3103)).epsilon(1e-9));
}

TEST_CASE("a suite's tests are states of their own, nested ones within the outer") {
  const MemoryTrace trace = trace_of({{1e-3, 1000}});
  StateRule test;
  test.name = "{name}";
  test.by_level = false;
  test.begins = Anchor{};
  test.ends = Anchor{};
  Recipe recipe{"suite", "", {of_level("Idle", below(1)), test}};
  const Beside beside{
      {},
      {{}, {{{0.1, "alpha"}, {0.3, "beta"}, {0.7, "gamma"}}, {{0.4, {}}, {0.5, {}}, {0.8, {}}}}}};
  const SplitResult result = split_beside(trace, recipe, beside);
  CHECK(names(result.visits) ==
        std::vector<std::string>{"Idle", "alpha", "beta", "alpha", "Idle", "gamma", "Idle"});
  const double edges[] = {0, 0.1, 0.3, 0.4, 0.5, 0.7, 0.8};
  for (std::size_t i = 0; i < result.visits.size(); ++i) CHECK(result.visits[i].from_s == edges[i]);
  CHECK(result.overlaps == 1);
  // Without an end each lasts until the next begins.
  recipe.states[1].ends.reset();
  const SplitResult open = split_beside(trace, recipe, beside);
  CHECK(names(open.visits) == std::vector<std::string>{"Idle", "alpha", "beta", "gamma"});
  CHECK_FALSE(open.visits.back().whole);
  CHECK(open.visits[2].whole);
  // What they must contain is asked of the stretch.
  recipe.states[1].must.longer_s = 0.25;
  const SplitResult long_ones = split_beside(trace, recipe, beside);
  CHECK(names(long_ones.visits) == std::vector<std::string>{"Idle", "beta", "gamma"});
}

TEST_CASE("moments beyond the capture and in its gaps do no harm") {
  MemoryTrace trace = trace_of({{1e-3, 300}});
  trace.append(500, 1, std::vector<double>(200, 2e-3));
  StateRule run;
  run.name = "Run";
  run.by_level = false;
  run.begins = Anchor{};
  run.ends = Anchor{};
  const Recipe recipe{"gaps", "", {run}};
  const Beside beside{
      {},
      {{{{-1, {}}, {0.2, {}}, {0.45, {}}, {5, {}}}, {{0.1, {}}, {0.4, {}}, {0.6, {}}, {7, {}}}}}};
  const Visits v = split_beside(trace, recipe, beside).visits;
  CHECK(names(v) ==
        std::vector<std::string>{"Run", kUnassigned, "Run", kMissing, "Run", kUnassigned});
  CHECK_FALSE(v.front().whole);
  CHECK_FALSE(v[2].whole);  // a gap cuts it
  double at = 0;
  for (const Visit& visit : v) {
    CHECK(visit.from_s == at);
    at = visit.to_s;
  }
  CHECK(at == 0.7);
}

TEST_CASE("the ledger closes whatever a recipe asks for, over gaps, off times and hand edits") {
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> unit(0, 1);
  std::size_t turned = 0, anchored = 0;
  for (int round = 0; round < 1000; ++round) {
    const MemoryTrace trace = test::random_trace(
        random, round % 2 ? SampleKind::instant : SampleKind::averaged, round % 3 == 0);
    const double from = trace.from_s(), to = trace.to_s();
    if (!(to > from)) continue;
    const auto moments = [&] {
      std::vector<Moment> out;
      for (auto n = random() % 12; n > 0; --n)
        out.push_back({from - 0.1 + unit(random) * (to - from + 0.2),
                       random() % 3 == 0 ? "named " + std::to_string(random() % 3) : ""});
      std::sort(out.begin(), out.end(),
                [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
      return out;
    };
    Recipe recipe;
    Beside beside;
    if (random() % 2 == 0)
      recipe.smooth = {unit(random) * 0.02, static_cast<Smoothing::Take>(random() % 3)};
    for (int i = 0; i < 5; ++i) {
      const double low = std::pow(10, -7 + 6 * unit(random)), high = low * 30;
      StateRule rule;
      rule.name = "S" + std::to_string(i);
      rule.level = {low, high, low / 2, high * 2};
      rule.shortest_s = unit(random) * 0.03;
      rule.join_gaps_s = unit(random) * 0.03;
      rule.by_level = random() % 4 != 0;
      if (!rule.by_level || random() % 3 == 0) rule.begins = Anchor{};
      if (random() % 3 == 0) rule.ends = Anchor{};
      if (random() % 4 == 0) rule.must.peak_above = low * 3;
      if (random() % 4 == 0) rule.must.longer_s = unit(random) * 0.05;
      if (random() % 4 == 0) rule.must.mean_below = high / 3;
      if (random() % 4 == 0) rule.after = {"S0", kUnassigned, "S2"};
      recipe.states.push_back(rule);
      beside.rules.push_back({moments(), moments()});
    }
    if (random() % 3 == 0)
      beside.switches = {{false, from + 0.2 * (to - from), from + 0.2 * (to - from)},
                         {true, from + 0.3 * (to - from), from + 0.3 * (to - from)}};
    const SplitResult result = split_beside(trace, recipe, beside);
    for (const Rejected& r : result.rejected) turned += r.stretches;
    for (const Visit& v : result.visits) anchored += v.state.starts_with("named") ? 1U : 0U;
    std::vector<Edit> edits;
    for (auto n = random() % 5; n > 0 && result.visits.size() > 1; --n) {
      const std::size_t k = 1 + random() % (result.visits.size() - 1);
      edits.push_back({Edit::Kind::move, result.visits[k].from_s,
                       nearest_edge(trace, from + unit(random) * (to - from)), "",
                       result.visits[k - 1].state, result.visits[k].state});
      edits.push_back({Edit::Kind::assign, nearest_edge(trace, from + unit(random) * (to - from)),
                       nearest_edge(trace, from + unit(random) * (to - from)), "By hand", "", ""});
    }
    const Visits visits = apply_edits(result.visits, edits, 1e-3).visits;
    double at = from;
    bool covers = true;
    for (const Visit& v : visits) {
      covers &= v.from_s == at && v.to_s > v.from_s;
      at = v.to_s;
    }
    CAPTURE(round);
    REQUIRE(covers);
    REQUIRE(at == to);
    const Ledger ledger = make_ledger({{&trace, measure_visits(trace, visits)}});
    Sum charge, time;
    for (const LedgerRow& row : ledger.rows) {
      charge += row.charge;
      time += row.time_s;
    }
    REQUIRE(std::fabs(charge.value() - measure(trace).charge) <=
            1e-9 * test::absolute_charge(trace));
    REQUIRE(time.value() == Approx(to - from).epsilon(1e-9));
    REQUIRE(ledger.missing_s == Approx(measure(trace).missing_s).margin(1e-9));
  }
  CHECK(turned > 1000);
  CHECK(anchored > 100);
}
