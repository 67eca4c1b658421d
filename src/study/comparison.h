// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/compare.h"

#include "study/life.h"

namespace kuvio::study {

struct Pool;

/// Two pools compared. Error bad_data where the settings' duty plan asks for more time than there
/// is.
Comparison compare_pools(const Pool& reference, const Pool& candidate,
                         const CompareSettings& settings);

/// What of a comparison is for the desk: the figures, and what they do to a battery's life.
struct BuildComparison {
  std::size_t reference_captures = 0, candidate_captures = 0;
  Comparison comparison;
  bool field = false;  ///< by the duty plan
  std::optional<LifeFigures> reference_life, candidate_life;
  std::vector<std::optional<double>> life_change;  ///< what each row's difference alone does (s)
  std::vector<std::string> old_edges;              ///< captures whose split stands on samples
};

/// The same, by the plan as far as both sides hold what it asks for, else by the captures.
BuildComparison compare_builds(const Pool& reference, const Pool& candidate,
                               CompareSettings settings, const std::optional<Battery>& battery);

}  // namespace kuvio::study
