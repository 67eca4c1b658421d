// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/visit_figures.h"

#include <array>
#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// What is looked at of a visit.
enum class VisitMeasure { charge, length, mean, peak };
inline constexpr std::array kVisitMeasures{VisitMeasure::charge, VisitMeasure::length,
                                           VisitMeasure::mean, VisitMeasure::peak};
std::string_view to_string(VisitMeasure measure);
/// "C", "s", "A", "A".
const char* unit_of(VisitMeasure measure);
/// A visit's own; nothing where it has none (a narrow one's mean and peak are its edges').
std::optional<double> value_of(const VisitFigures& visit, VisitMeasure measure);

/// What the visits of a state usually have.
struct UsualVisit {
  VisitMeasure measure = VisitMeasure::charge;
  std::size_t visits = 0;  ///< that were looked at
  double median = 0;
  double least = 0, most = 0;  ///< of all that were looked at
  double low = 0, high = 0;    ///< what lies outside is odd; infinite with too few visits to tell
};

/// A visit that is not like the others of its state.
struct OddVisit {
  std::size_t visit = 0;  ///< place in the capture's visits
  VisitMeasure measure = VisitMeasure::charge;
  double value = 0, usual = 0;
};

/// The visits of one state, one beside the other.
struct VisitSurvey {
  std::string state;
  std::vector<std::size_t> visits;  ///< all of them, cut ones too, in order of time
  std::vector<UsualVisit> usual;    ///< by measure, as kVisitMeasures; empty without a whole visit
  std::vector<OddVisit> odd;        ///< in order of time

  const UsualVisit* of(VisitMeasure measure) const;
  bool is_odd(std::size_t visit) const;
};

/// The fewest whole visits among which one can be told to be odd.
inline constexpr std::size_t kNeededForOdd = 8;

/// Looks through the visits of a state for those that are not like the others. Whole ones are
/// judged, and where a stretch is out of range beside them not at all.
///
/// Where every value is above zero its logarithm is looked at (lengths and charges of one state lie
/// askew). Odd is what lies further from the median than k scaled median absolute deviations, the
/// deviation being no less than what the edges leave open and a thousandth of the median. k =
/// z(1 - 0.0025 / n) (1 + 12 / n + 50 / n^2) makes it one run in 200 that calls any of n normal
/// visits odd (fitted to 400 000 draws for each of n = 8 to 5000).
VisitSurvey survey_visits(const std::vector<VisitFigures>& visits, const std::string& state);

}  // namespace kuvio
