// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/line_fit.h"

#include "core/visit_counts.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>
#include <vector>

using namespace kuvio;

namespace {
const std::vector<double> kBytes{100, 100, 200, 200, 300, 300, 400, 400};
const std::vector<double> kCharge{1.02, 0.98, 1.53, 1.47, 2.1, 1.98, 2.45, 2.55};

std::vector<FitPoint> points(const std::vector<double>& x, const std::vector<double>& y) {
  std::vector<FitPoint> out;
  for (std::size_t i = 0; i < x.size(); ++i) out.push_back({x[i], y[i]});
  return out;
}
}  // namespace

TEST_CASE("a line through visits is scipy's, and so is its lack of fit") {
  const auto line = fit_line(points(kBytes, kCharge));
  REQUIRE(line);
  CHECK(line->slope == Approx(0.00504));
  CHECK(line->base == Approx(0.5));
  CHECK(line->slope_u == Approx(0.00016852299546352777));
  CHECK(line->base_u == Approx(0.04615192303685747));
  CHECK(line->scatter == Approx(0.05329165037789689));
  CHECK(line->freedom == 6.0);
  REQUIRE(line->straight_p);
  CHECK(*line->straight_p == Approx(0.754369723820229));
  CHECK(line->straight());

  std::vector<double> bent = kCharge;
  for (std::size_t i = 0; i < bent.size(); ++i)
    bent[i] += 1.2e-5 * (kBytes[i] - 250) * (kBytes[i] - 250);
  CHECK(*fit_line(points(kBytes, bent))->straight_p == Approx(0.01714190694135785));
}

TEST_CASE("where no two visits share a count the curve is asked") {
  const std::vector<double> x{1, 2.5, 4, 7, 11, 16};
  const auto line = fit_line(points(x, {3.1, 4.4, 6.2, 9.0, 13.3, 17.6}));
  REQUIRE(line);
  CHECK(line->slope == Approx(0.9806319034163885));
  CHECK(line->base == Approx(2.1506293347033125));
  CHECK(line->slope_u == Approx(0.019530261839273887));
  CHECK(*line->straight_p == Approx(0.21542614730448445));
  std::vector<double> square;
  for (const double v : x) square.push_back(3 + v * v);
  CHECK_FALSE(fit_line(points(x, square))->straight());
}

TEST_CASE("a line needs two different counts, and two points have no scatter") {
  CHECK_FALSE(fit_line(points({5, 5, 5}, {1, 2, 3})));
  CHECK_FALSE(fit_line(points({5}, {1})));
  CHECK_FALSE(fit_line({}));
  const auto two = fit_line(points({1, 3}, {10, 14}));
  REQUIRE(two);
  CHECK(two->slope == Approx(2));
  CHECK(two->base == Approx(8));
  CHECK_FALSE(two->freedom);
  CHECK_FALSE(two->straight_p);
  const auto exact = fit_line(points({1, 2, 3, 4, 4}, {2, 4, 6, 8, 8}));
  CHECK(exact->slope_u < 1e-12);
  CHECK(exact->straight());
}

TEST_CASE("the interval of a slope holds the truth, and straight lines are seldom called bent") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  std::size_t inside = 0, bent = 0;
  constexpr std::size_t kRuns = 2000;
  for (std::size_t run = 0; run < kRuns; ++run) {
    const int n = std::uniform_int_distribution(5, 30)(chance);
    std::normal_distribution<double> scatter(0, 3e-6);
    std::vector<FitPoint> visits;
    for (int i = 0; i < n; ++i) {
      // A byte count that some share, or that none does.
      const double x = run % 2 ? 64.0 * std::uniform_int_distribution(1, 4)(chance)
                               : std::uniform_real_distribution(1.0, 400.0)(chance);
      visits.push_back({x, 40e-6 + 0.2e-6 * x + scatter(chance)});
    }
    const auto line = fit_line(visits);
    if (!line) {
      ++inside;  // all of them the same
      continue;
    }
    const std::vector<Component> parts{line->slope_component()};
    inside += std::fabs(line->slope - 0.2e-6) <= expand(parts).U;
    bent += !line->straight();
  }
  INFO("seed " << seed << ": " << inside << " inside, " << bent << " bent, of " << kRuns);
  CHECK(inside >= kRuns * 93 / 100);
  CHECK(inside <= kRuns * 97 / 100);
  CHECK(bent <= kRuns * 2 / 100);
}

TEST_CASE("what log lines count belongs to the visit that they tell of") {
  std::vector<VisitFigures> visits;
  const auto add = [&](const char* state, double from, double to, double charge,
                       bool whole = true) {
    VisitFigures v;
    v.visit = {state, from, to, whole};
    v.charge = charge;
    visits.push_back(v);
  };
  add("Rest", 0, 1, 1, false);
  add("Up", 1, 2, 10);
  add("Rest", 2, 5, 1);
  add("Up", 5, 6, 20);
  add("Rest", 6, 9, 1);
  add("Up", 9, 10, 15);
  add("Rest", 10, 19, 1);
  add("Up", 19, 20, 5, false);
  const std::vector<LogCount> lines{{0.5, 1},                            // before the first
                                    {2.0, 32},                           // at its end
                                    {4.998, 7}, {5.5, 100}, {6.01, 28},  // one before it by a hair
                                    {15, 9},                             // long behind the third
                                    {19.5, 4}};                          // in the cut one
  const VisitCounts counted = count_in_visits(visits, "Up", lines, 0.005, WithoutLine::unknown);
  REQUIRE(counted.points.size() == 2);
  CHECK(counted.points[0].x == 32);
  CHECK(counted.points[0].y == 10);
  CHECK(counted.points[1].x == 135);
  CHECK(counted.points[1].y == 20);
  CHECK(counted.visits == std::vector<std::size_t>{1, 3});
  CHECK(counted.outside == 2);
  CHECK(counted.in_cut == 1);
  CHECK(counted.without == 1);
  const VisitCounts events = count_in_visits(visits, "Up", lines, 0.005, WithoutLine::zero);
  REQUIRE(events.points.size() == 3);
  CHECK(events.points[2].x == 0);
  CHECK(state_of_counts(visits, {{2.001, 1}, {5.5, 1}, {8, 1}}, 0.005) == "Up");
  CHECK(state_of_counts(visits, {{3, 1}, {5.5, 1}, {8, 1}}, 0.005) == "Rest");
  CHECK(state_of_counts(visits, {}, 0.005).empty());
}
