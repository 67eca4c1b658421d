// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/beside.h"
#include "core/recipe.h"
#include "core/rejected.h"

#include <vector>

namespace kuvio::book {

/// What the rules with a channel of their own found there.
struct OtherStays {
  std::vector<FoundStay> stays;
  std::vector<Rejected> rejected;  ///< by the recipe's rules
};

/// Splits each channel that a rule names by the rules that read it. Error bad_data where the
/// capture lacks one, or a level is of another quantity.
OtherStays stays_of_others(const Book& book, const CaptureInfo& capture, const Recipe& recipe);

/// The recipe for its own channel: rules that read another are in their places and find nothing.
Recipe for_own_channel(Recipe recipe);

}  // namespace kuvio::book
