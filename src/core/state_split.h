// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/event.h"
#include "core/recipe.h"
#include "core/trace.h"
#include "core/visit.h"

#include <vector>

namespace kuvio {

/// Splits a trace by the levels of a recipe.
///
/// A state holds until the level passes its release; then the first rule in file order whose band
/// holds takes over, else Unassigned. Stays are joined, short ones absorbed and mere changes of
/// level taken out (core/stays.h); between what remains the edges are found inside the samples
/// (core/edge.h). An averaged visit with no sample beyond its edges' cells keeps its samples whole
/// and is narrow. Time with the output off is Off. A visit that goes on behind a stretch out of
/// range continues the one before it. A recipe without states leaves all of it Unassigned, for
/// splitting by hand.
Visits split(const Trace& trace, const Recipe& recipe,
             const std::vector<OutputSwitch>& switches = {});

/// First moment in [earliest, latest] at which the trace rises above `level` for two samples
/// running, else latest: says when an output went on more exactly than the command's own times.
double first_rise(const Trace& trace, double earliest_s, double latest_s, double level);

}  // namespace kuvio
