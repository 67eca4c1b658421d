// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/verdict.h"
#include "core/visit.h"

#include <optional>
#include <vector>

namespace kuvio {

class Trace;

/// One visit with what was measured in it. SI units.
struct VisitFigures {
  Visit visit;
  double observed_s = 0, missing_s = 0;
  double charge = 0;           ///< C, its share of its edges' cells included
  std::optional<double> mean;  ///< A
  /// Extremes of the samples that lie wholly inside and belong to no edge (A); where there is no
  /// such sample, of the model of the trace over it.
  std::optional<double> peak, least;
  Bounds bounds;          ///< samples out of range lie beside it
  double length_u_s = 0;  ///< standard uncertainty of its length from its two edges (s)
  double charge_u = 0;    ///< and of its charge (C): its level times u(t) of each, independent
  /// By how much its charge differs from the samples' own model over the same span (C).
  double shared_out = 0;

  bool operator==(const VisitFigures&) const = default;
};

/// Measures every visit of a split. Charges add up to the trace's own to rounding.
std::vector<VisitFigures> measure_visits(const Trace& trace, const Visits& as_stored);

/// The visits alone.
Visits visits_of(const std::vector<VisitFigures>& figures);

}  // namespace kuvio
