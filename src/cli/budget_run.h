// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "core/budget.h"
#include "formats/plan_files.h"

#include <string>
#include <vector>

namespace kuvio::cli {

/// A build's captures, split by a recipe: a split made with the same recipe is used again, others
/// are made now and not saved.
std::vector<book::SplitCapture> split_build(const book::Book& book, const std::string& build,
                                            const formats::RecipeFile& recipe);

/// Holds a budget against all captures of a build.
CheckResult check_build(const book::Book& book, const Budget& budget, const std::string& build);

}  // namespace kuvio::cli
