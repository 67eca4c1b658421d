// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"
#include "core/recipe.h"

#include <QString>

#include <optional>
#include <vector>

namespace kuvio::app {

/// Which rule takes most of the samples that a rule's band holds: itself, or one before it. Nothing
/// where the capture has no samples there.
std::optional<std::size_t> taken_by(const std::vector<StateRule>& rules,
                                    const LevelHistogram& histogram, std::size_t rule);

/// Why a rule finds no visits, for people.
QString why_no_visits(const std::vector<StateRule>& rules, const LevelHistogram& histogram,
                      std::size_t rule);

/// What a rule asks for beside its level, in words; empty where it asks for nothing.
QString asked_beside_level(const StateRule& rule);

/// The first rule that a level enters, and so the one that a rule for that level must come before.
std::optional<std::size_t> first_to_take(const std::vector<StateRule>& rules, double level_a);

}  // namespace kuvio::app
