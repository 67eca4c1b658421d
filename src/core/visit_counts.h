// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/accuracy.h"
#include "core/line_fit.h"
#include "core/visit_figures.h"

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// How far a line may be written before what it tells of shows in the current (s), where nothing
/// else is said: a line is written when it has begun.
inline constexpr double kLogSlack = 0.005;

/// What a log line counts: a number that it tells, or itself.
struct LogCount {
  double at_s = 0;
  double n = 1;
};

/// What was counted in the visits to a state beside their charge.
struct VisitCounts {
  std::vector<FitPoint> points;     ///< x: counted in the visit, y: its charge (C)
  std::vector<std::size_t> visits;  ///< of each point
  std::size_t outside = 0;          ///< lines in no visit to the state
  std::size_t in_cut = 0;           ///< lines in visits that are not whole: left out
  std::size_t without = 0;          ///< whole visits without a line, left out
};

/// Whether a visit without a line counts as none, or is not known.
enum class WithoutLine { zero, unknown };

/// Adds up what log lines count (in order of time), by the visit that they belong to: the last one
/// to the state that had begun `slack_s` behind the line, if it ended less than a tenth of its
/// length, or the slack, before it. A line that tells of what was done comes after it.
VisitCounts count_in_visits(const std::vector<VisitFigures>& visits, const std::string& state,
                            const std::vector<LogCount>& counts, double slack_s,
                            WithoutLine without);

/// The state in which most of the lines were written, or had been `slack_s` before; "" without any.
std::string state_of_counts(const std::vector<VisitFigures>& visits,
                            const std::vector<LogCount>& counts, double slack_s);

/// Expanded uncertainties (95 %) of a line through visits, the instrument's share included: its
/// gain acts on slope and base, its offset on the base alone, over the visits' length. Nothing with
/// two points.
struct FittedU {
  std::optional<double> slope, base;
};
FittedU fitted_u(const LineFit& line, const VisitCounts& counts,
                 const std::vector<VisitFigures>& visits, const Accuracy& accuracy);

}  // namespace kuvio
