// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/session.h"
#include "book/documents.h"
#include "core/edits.h"
#include "core/measure.h"
#include "core/recipe.h"

#include <QString>

namespace kuvio::app {

// The edits of states as the window makes them: each becomes one change of the book, undoable.

/// Adds corrections by hand to a capture, in this order, as one change that is named after the
/// first; their times are laid on samples.
void edit_states(Session& session, std::int64_t capture, const std::vector<Edit>& edits);
/// Takes one correction away, or all of them (`index` below 0).
void drop_edit(Session& session, std::int64_t capture, int index);
/// Names a span as a visit to a state, by hand.
void name_span(Session& session, std::int64_t capture, double from_s, double to_s,
               const std::string& state);
/// Splits captures by a recipe and keeps its text in the book as the one in use.
void apply_recipe(Session& session, const std::vector<std::int64_t>& captures,
                  const book::Document& recipe);
/// Finds the states that a capture shows, splits it by the recipe that is proposed, and keeps that
/// as the one in use. `levels`: how many; nothing: as many as it shows.
void find_states_of(Session& session, std::int64_t capture,
                    std::optional<std::size_t> levels = std::nullopt);
/// The name that a recipe which was found goes by in the book.
inline constexpr const char* kFoundRecipe = "found.recipe.toml";
/// A rule for a state from what a span shows: a band around its levels.
StateRule rule_from_span(const std::string& state, const SpanFigures& span);
/// Makes limits of what a capture measured, as the book's budget.
void limits_from_capture(Session& session, std::int64_t capture);

}  // namespace kuvio::app
