// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/beside.h"
#include "core/recipe.h"
#include "core/rejected.h"
#include "core/trace.h"
#include "core/visit.h"

#include <vector>

namespace kuvio {

struct SplitResult {
  Visits visits;
  std::vector<Rejected> rejected;  ///< by rule, then why
  std::size_t overlaps = 0;        ///< stretches from moment to moment that began within another
};

/// Splits a trace by a recipe.
///
/// A state holds until the level passes its release; then the first rule in file order whose band
/// holds takes over, else Unassigned. Stays are joined, short ones absorbed and mere changes of
/// level taken out (core/stays.h); one that lacks what its rule asks for (`must`, `after`, a moment
/// of `begins` or `ends`) is none of it, and the next rules are tried there. One that an end of the
/// block cuts is not held to a length, a peak or a moment beyond it. Between what remains the edges
/// are found inside the samples (core/edge.h), or stand where a moment puts them. An averaged visit
/// with no sample beyond its edges' cells keeps its samples whole and is narrow. A visit that goes
/// on behind a stretch out of range continues the one before it.
///
/// Rules without a level lie over that, from moment to moment: each `ends` closes the latest that
/// is open; where several are open the latest begun holds, then the earlier goes on. Over all of it
/// time with the output off is Off. A recipe without states leaves all of it Unassigned, for
/// splitting by hand.
SplitResult split_beside(const Trace& trace, const Recipe& recipe, const Beside& beside);
/// The same of levels alone.
Visits split(const Trace& trace, const Recipe& recipe,
             const std::vector<OutputSwitch>& switches = {});

/// First moment in [earliest, latest] at which the trace rises above `level` for two samples
/// running, else latest: says when an output went on more exactly than the command's own times.
double first_rise(const Trace& trace, double earliest_s, double latest_s, double level);

}  // namespace kuvio
