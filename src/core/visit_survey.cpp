// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit_survey.h"

#include "core/quantiles.h"

#include <boost/math/distributions/normal.hpp>

#include <algorithm>
#include <cmath>
#include <limits>

namespace kuvio {
namespace {

constexpr double kFalseAlarm = 0.005;  // that any visit of a state is called odd, by measure
constexpr double kNormalOfMad = 1.4826;
constexpr double kFinest = 1e-3;  // of the median: nobody looks for less

double far_out(std::size_t n) {
  const double count = static_cast<double>(n);
  const double z =
      boost::math::quantile(boost::math::normal_distribution<>(), 1 - kFalseAlarm / 2 / count);
  return z * (1 + 12 / count + 50 / (count * count));
}

/// A visit that can be held against others.
bool is_judged(const std::vector<VisitFigures>& visits, std::size_t i) {
  const bool goes_on = i + 2 < visits.size() && visits[i + 2].visit.continues;
  return visits[i].visit.whole && !visits[i].visit.continues && !goes_on &&
         !visits[i].bounds.any() && visits[i].missing_s == 0;
}

/// What its edges leave open of a measure (a standard deviation).
double left_open(const VisitFigures& v, VisitMeasure measure) {
  switch (measure) {
    case VisitMeasure::charge:
      return v.charge_u;
    case VisitMeasure::length:
      return v.length_u_s;
    default:
      return 0;
  }
}

struct Judged {
  std::size_t visit = 0;
  double value = 0, open = 0;
};

UsualVisit usual_of(const std::vector<Judged>& judged, VisitMeasure measure) {
  UsualVisit out;
  out.measure = measure;
  out.visits = judged.size();
  if (judged.empty()) return out;
  std::vector<double> values, open;
  for (const Judged& j : judged) {
    values.push_back(j.value);
    open.push_back(j.open);
  }
  const auto [least, most] = std::minmax_element(values.begin(), values.end());
  out.least = *least;
  out.most = *most;
  out.median = median(values);
  if (values.size() < kNeededForOdd) {
    out.low = -std::numeric_limits<double>::infinity();
    out.high = std::numeric_limits<double>::infinity();
    return out;
  }
  const bool by_ratio = *least > 0;
  for (double& v : values) v = by_ratio ? std::log(v) : v;
  const double middle = median(values);
  for (double& v : values) v = std::fabs(v - middle);
  const double size = std::fabs(out.median);
  const double scale = by_ratio ? 1 / size : 1;
  const double spread =
      std::max({kNormalOfMad * median(values), median(open) * scale, kFinest * size * scale});
  const double reach = far_out(values.size()) * spread;
  out.low = by_ratio ? std::exp(middle - reach) : middle - reach;
  out.high = by_ratio ? std::exp(middle + reach) : middle + reach;
  return out;
}

}  // namespace

std::string_view to_string(VisitMeasure measure) {
  switch (measure) {
    case VisitMeasure::charge:
      return "charge";
    case VisitMeasure::length:
      return "length";
    case VisitMeasure::mean:
      return "mean";
    case VisitMeasure::peak:
      return "peak";
  }
  return "";
}

const char* unit_of(VisitMeasure measure) {
  return measure == VisitMeasure::charge ? "C" : measure == VisitMeasure::length ? "s" : "A";
}

std::optional<double> value_of(const VisitFigures& v, VisitMeasure measure) {
  switch (measure) {
    case VisitMeasure::charge:
      return v.charge;
    case VisitMeasure::length:
      return v.visit.length_s();
    case VisitMeasure::mean:
      return v.visit.narrow ? std::nullopt : v.mean;
    case VisitMeasure::peak:
      return v.visit.narrow ? std::nullopt : v.peak;
  }
  return std::nullopt;
}

const UsualVisit* VisitSurvey::of(VisitMeasure measure) const {
  const auto it = std::find_if(usual.begin(), usual.end(),
                               [&](const UsualVisit& u) { return u.measure == measure; });
  return it == usual.end() ? nullptr : &*it;
}

bool VisitSurvey::is_odd(std::size_t visit) const {
  return std::any_of(odd.begin(), odd.end(), [&](const OddVisit& o) { return o.visit == visit; });
}

VisitSurvey survey_visits(const std::vector<VisitFigures>& visits, const std::string& state) {
  VisitSurvey out;
  out.state = state;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    if (visits[i].visit.state == state) out.visits.push_back(i);
  }
  for (const VisitMeasure measure : kVisitMeasures) {
    std::vector<Judged> judged;
    for (const std::size_t i : out.visits) {
      const auto value = value_of(visits[i], measure);
      if (value && is_judged(visits, i))
        judged.push_back({i, *value, left_open(visits[i], measure)});
    }
    const UsualVisit usual = usual_of(judged, measure);
    for (const Judged& j : judged) {
      if (j.value < usual.low || j.value > usual.high)
        out.odd.push_back({j.visit, measure, j.value, usual.median});
    }
    if (usual.visits > 0) out.usual.push_back(usual);
  }
  std::stable_sort(out.odd.begin(), out.odd.end(),
                   [](const OddVisit& a, const OddVisit& b) { return a.visit < b.visit; });
  return out;
}

}  // namespace kuvio
