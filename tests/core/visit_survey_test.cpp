// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit_survey.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

/// Visits to "Up" with these charges (C), a second apart, each between two to "Rest".
std::vector<VisitFigures> visits_with(const std::vector<double>& charges, double length_s = 0.5) {
  std::vector<VisitFigures> out;
  double t = 0;
  const auto add = [&](const char* state, double length, double charge) {
    VisitFigures v;
    v.visit.state = state;
    v.visit.from_s = t;
    v.visit.to_s = t += length;
    v.charge = charge;
    v.observed_s = length;
    v.mean = charge / length;
    v.peak = 2 * charge / length;
    out.push_back(v);
  };
  for (const double q : charges) {
    add("Rest", 1 - length_s, 1e-6);
    add("Up", length_s, q);
  }
  add("Rest", 1, 1e-6);
  return out;
}

}  // namespace

TEST_CASE("a visit that is not like the others is found, by what is odd of it") {
  std::vector<double> charges(20, 1e-3);
  for (std::size_t i = 0; i < charges.size(); ++i)
    charges[i] *= 1 + 0.01 * static_cast<double>(i % 5);
  charges[7] = 1.4e-3;
  auto visits = visits_with(charges);
  const VisitSurvey survey = survey_visits(visits, "Up");
  CHECK(survey.visits.size() == 20);
  CHECK(survey.visits[7] == 15);
  REQUIRE(survey.odd.size() == 3);  // charge, mean and peak, not its length
  for (const OddVisit& o : survey.odd) CHECK(o.visit == 15);
  CHECK(survey.odd[0].measure == VisitMeasure::charge);
  CHECK(survey.odd[0].value == 1.4e-3);
  CHECK(survey.odd[0].usual == Approx(1.02e-3));
  CHECK(survey.is_odd(15));
  CHECK_FALSE(survey.is_odd(13));
  const UsualVisit* usual = survey.of(VisitMeasure::charge);
  REQUIRE(usual);
  CHECK(usual->median == Approx(1.02e-3));
  CHECK(usual->least == Approx(1e-3));
  CHECK(usual->most == 1.4e-3);
  CHECK(usual->high < 1.4e-3);
  CHECK(usual->low > 0);

  // The same visit where it was cut, or ran out of range, is judged by nobody.
  visits[15].visit.whole = false;
  CHECK(survey_visits(visits, "Up").odd.empty());
  visits[15].visit.whole = true;
  visits[15].bounds.lower = true;
  CHECK(survey_visits(visits, "Up").odd.empty());
  CHECK(survey_visits(visits, "Up").visits.size() == 20);
}

TEST_CASE("with too few visits nobody is odd, and where all are the same a thousandth is not") {
  const VisitSurvey few = survey_visits(visits_with({1, 1, 1, 1, 1, 1, 9}), "Up");
  CHECK(few.odd.empty());
  REQUIRE(few.of(VisitMeasure::charge));
  CHECK(std::isinf(few.of(VisitMeasure::charge)->high));
  std::vector<double> same(30, 1e-3);
  same[3] = 1.0005e-3;
  CHECK(survey_visits(visits_with(same), "Up").odd.empty());
  same[3] = 1.01e-3;
  CHECK(survey_visits(visits_with(same), "Up").is_odd(7));
  CHECK(survey_visits({}, "Up").usual.empty());
  CHECK(survey_visits(visits_with(same), "Down").visits.empty());
}

TEST_CASE("charges about zero and below it are looked at as they are") {
  std::mt19937_64 chance(5);
  std::normal_distribution<double> about(0, 1e-6);
  std::vector<double> charges;
  for (int i = 0; i < 40; ++i) charges.push_back(about(chance));
  charges[11] = -3e-5;
  const VisitSurvey survey = survey_visits(visits_with(charges), "Up");
  CHECK(survey.is_odd(23));
  CHECK(survey.of(VisitMeasure::charge)->low < -1e-6);
}

TEST_CASE("of visits that are alike none is called odd but by rare chance") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  std::size_t normal = 0, skewed = 0, missed = 0;
  constexpr std::size_t kRuns = 3000;
  for (std::size_t run = 0; run < kRuns; ++run) {
    const auto n = std::uniform_int_distribution<std::size_t>(kNeededForOdd, 60)(chance);
    std::normal_distribution<double> z;
    std::vector<double> even(n), askew(n);
    for (double& q : even) q = 1e-3 * (1 + 0.02 * z(chance));
    for (double& q : askew) q = 1e-3 * std::exp(0.5 * z(chance));
    // Charge, mean and peak are one number here.
    normal += !survey_visits(visits_with(even), "Up").odd.empty();
    skewed += !survey_visits(visits_with(askew), "Up").odd.empty();
    even[n / 2] = 2e-3;
    missed += n >= 20 && !survey_visits(visits_with(even), "Up").is_odd(2 * (n / 2) + 1);
  }
  INFO("seed " << seed << ": " << normal << " and " << skewed << " of " << kRuns << ", missed "
               << missed);
  CHECK(normal <= kRuns / 100);  // 1 in 200 is what it is made for
  CHECK(skewed <= kRuns / 100);
  CHECK(missed == 0);  // fifty deviations away
}
