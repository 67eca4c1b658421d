// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/limit_watch.h"
#include "core/trace.h"

#include <vector>

namespace kuvio {

/// What a limit did to a current.
struct LimitedTrace {
  std::vector<LimitedStretch> stretches;  ///< in order of time
  std::vector<double> rounds;  ///< when each *held, then fallen to nothing* reached the limit (s)
};

/// Looks through a stored current for what LimitWatch finds in one that is being recorded, by the
/// same rules. Reads samples only near what comes close to the limit. `limit`: A, more than
/// nothing.
LimitedTrace limited_in(const Trace& current, double limit);

}  // namespace kuvio
