// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/beside.h"
#include "core/recipe.h"
#include "core/rejected.h"
#include "core/trace.h"
#include "core/visit.h"

#include <cstddef>
#include <string>
#include <vector>

namespace kuvio {

/// A state that lies over what is below, from one moment to another (s).
struct Over {
  std::string state;
  double from_s = 0, to_s = 0;
};

struct MomentStretches {
  std::vector<Over> stretches;  ///< in order and apart
  std::size_t overlaps = 0;     ///< that began within another
};

/// Stretches from moment to moment of the rules without a level: each `ends` closes the latest that
/// is open, and where several are open the latest begun holds. `below` is what the levels made.
MomentStretches moment_stretches(const Trace& trace, const Recipe& recipe, const Beside& beside,
                                 const Visits& below, Tally& tally);

}  // namespace kuvio
