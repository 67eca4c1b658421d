// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/measure.h"
#include "core/recipe.h"

#include <string>
#include <vector>

namespace kuvio {

/// When the output that feeds the device was switched: somewhere between earliest and latest (s).
struct OutputSwitch {
  bool on = false;
  double earliest_s = 0, latest_s = 0;
};

/// One unbroken stay in a state. Edges lie on samples; neighbours share theirs exactly.
struct Visit {
  std::string state;
  double from_s = 0, to_s = 0;
  bool whole = true;  ///< not cut by the capture's ends, by a gap or by the output being switched

  double length_s() const { return to_s - from_s; }
  bool operator==(const Visit&) const = default;
};

/// A trace split into states: visits that cover it from its first to its last moment without
/// overlap, gaps included (as Missing).
using Visits = std::vector<Visit>;

/// Splits a trace by the levels of a recipe.
///
/// A state holds until the level passes its release; then the first rule in file order whose band
/// holds takes over, else Unassigned. Stays of one state no further apart than its join_gaps
/// become one visit with all that lies between; then stays below their state's shortest are
/// absorbed, shortest first, by the neighbour whose mean is nearer on the scale asinh(x / noise).
/// Time with the output off is Off. Strides that lie inside the holding band as a whole are not
/// read. A recipe without states leaves all of it Unassigned, for splitting by hand.
Visits split(const Trace& trace, const Recipe& recipe,
             const std::vector<OutputSwitch>& switches = {});

/// First moment in [earliest, latest] at which the trace rises above `level` for two samples
/// running, else latest: tells when an output went on more exactly than the command's own times.
double first_rise(const Trace& trace, double earliest_s, double latest_s, double level);

}  // namespace kuvio
