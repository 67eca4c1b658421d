// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/beside.h"
#include "core/moment_stretches.h"
#include "core/recipe.h"
#include "core/visit.h"

#include <vector>

namespace kuvio {

/// Where rules that read a channel of their own hold over what the recipe's channel made of it: at
/// each moment the first in the file's order, of those that hold and of the one below. In order and
/// apart; gaps stay gaps.
std::vector<Over> stretches_of_others(const Visits& below, const Recipe& recipe,
                                      const std::vector<FoundStay>& stays);

/// Takes it from visits that they are whole, where such a stay's own end was not seen.
void cut_unseen(Visits& visits, const Recipe& recipe, const std::vector<FoundStay>& stays);

}  // namespace kuvio
