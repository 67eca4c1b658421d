// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "core/budget.h"
#include "formats/project_files.h"

#include <string>
#include <vector>

namespace kuvio::study {

/// A build's captures, split by a recipe: a split made with the same recipe is used again, others
/// are made now and not saved.
std::vector<book::SplitCapture> split_build(const book::Book& book, const std::string& build,
                                            const formats::RecipeFile& recipe);

/// Holds a budget against all captures of a build, split by the budget's recipe. The results point
/// into `budget`.
CheckResult check_build(const book::Book& book, const Budget& budget,
                        const formats::RecipeFile& recipe, const std::string& build);

}  // namespace kuvio::study
