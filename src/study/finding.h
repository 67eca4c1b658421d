// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/find_states.h"
#include "formats/project_files.h"

#include <string>

namespace kuvio::study {

/// A recipe of the states that a capture shows on a channel ("": the main current), with its text,
/// to be named and tuned. Stretches with the output off take no part. Error bad_data where it holds
/// too little to find any; io when it was given up.
formats::RecipeFile find_recipe(const book::Book& book, const book::CaptureInfo& capture,
                                const std::string& channel, FindSettings settings = {});

}  // namespace kuvio::study
