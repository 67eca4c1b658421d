// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recipe.h"
#include "core/trace.h"

#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace kuvio {

struct FindSettings {
  std::optional<std::size_t> levels;  ///< how many; nothing: as many as the trace shows
  std::string unit = "A";             ///< of the trace, for names
  /// Spans (s) whose levels are none of the device's: its output was off.
  std::vector<std::pair<double, double>> leave_out{};
  std::function<bool(double)> going_on;  ///< asked now and then with the share done; false gives up
};

/// A level that a trace stays at.
struct FoundLevel {
  double level = 0;  ///< mean of its stretches, in the trace's unit
  double time_s = 0;
};

/// What was found on a trace that nobody has split yet.
struct FoundStates {
  std::vector<FoundLevel> levels;  ///< by rising level, a state each
  Recipe recipe;                   ///< bands between them, to be named and tuned
  bool given_up = false;
};

/// Finds the levels that a trace stays at, and proposes a recipe of them.
///
/// The scale is made so that noise is one everywhere: its size at each level comes from short runs
/// all over the trace (median absolute deviations, at least a twentieth of the level), and its
/// reciprocal is integrated over the levels. Stretches whose nodes show no more than that noise are
/// taken as one weighted point, the rest sample by sample; changes of their mean are found by
/// optimal partitioning with functional pruning (Maidstone et al. 2017), penalty 3 ln n a change.
/// Levels of the stretches are clustered optimally in one dimension (Wang and Song 2011), their
/// number by the likelihood of normal clusters; what only leads from one level to the next takes no
/// part.
/// Thresholds lie between the levels by their spreads. Throws std::invalid_argument where the trace
/// holds fewer than 20 samples.
FoundStates find_states(const Trace& trace, const FindSettings& settings = {});

}  // namespace kuvio
