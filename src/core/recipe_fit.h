// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recipe.h"
#include "core/visit_figures.h"

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// Something that says that a recipe may no longer fit a capture.
struct Misfit {
  enum class Kind {
    near_edge,   ///< a state's level lies close to a threshold of its rule
    unassigned,  ///< more time is Unassigned than in the reference, and enough to be seen
    lengths,     ///< its visits last otherwise than any of the reference's
    lost,        ///< the reference has a state that is nowhere here
  };
  Kind kind = Kind::near_edge;
  std::string state;
  double here = 0;   ///< level (A), share of the time, or median length (s)
  double there = 0;  ///< the threshold (A); the reference's share, median length, or visits
  std::size_t close = 0, visits = 0;  ///< how many lie near the threshold, of how many

  bool operator==(const Misfit&) const = default;
};

/// Looks where a recipe may no longer fit what a capture shows.
///
/// A state lies near a threshold of its rule where one in twenty of its visits' means or more lies
/// within a tenth of it. Time Unassigned is told from half a percent on, where it is more than
/// twice the reference's. Visits last otherwise where the median lies outside what is usual in the
/// reference (visit_survey.h). Without a `reference` (another capture split by the same recipe) the
/// thresholds alone are looked at, and Unassigned from one percent on.
std::vector<Misfit> misfits_of(const Recipe& recipe, const std::vector<VisitFigures>& here,
                               const std::vector<VisitFigures>* reference);

/// "12 of 60 visits to Sense lie within 10 % of its threshold of 2 mA"; `unit` is of the recipe's
/// channel, `reference` the name of what it is held against.
std::string in_words(const Misfit& misfit, std::string_view unit, const std::string& reference);

}  // namespace kuvio
