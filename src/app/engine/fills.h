// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/recipe.h"
#include "core/typed_reading.h"
#include "core/visit.h"

#include <vector>

namespace kuvio::app {

/// Fills of a recipe's states, the first for the one with the most time.
Fills fills_for(const std::string& recipe_text, const Visits& visits);
/// Fills of a recipe that was changed since: a state that has none yet takes the first that no
/// other of its states has, so that one that is renamed keeps its own.
Fills fills_for(const std::vector<StateRule>& rules, const Fills& before);
/// Fills of states that were typed, in the order in which they were.
Fills fills_for(const std::vector<TypedReading>& readings);

}  // namespace kuvio::app
