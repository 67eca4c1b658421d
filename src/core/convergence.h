// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/visit_figures.h"

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// The mean current over the first cycles of a capture, and how well it was known by then (A, half
/// width of its 95 % interval by how the cycles differ).
struct RunningMean {
  std::size_t cycles = 0;
  double mean = 0, U = 0;
};

struct Convergence {
  /// From two cycles on; of many cycles some two hundred of them, evenly spread by ratio, the last
  /// one always.
  std::vector<RunningMean> steps;

  /// The cycles from which on the mean stayed known to within `share` of itself; nothing where it
  /// is not at the end.
  std::optional<std::size_t> within(double share) const;
};

/// How the mean over whole cycles of a state settles: charges by periods, with the spread of
/// ratio_of_sums.
Convergence convergence_of(const std::vector<VisitFigures>& visits, const std::string& state);

}  // namespace kuvio
