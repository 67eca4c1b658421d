// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"

#include <string>
#include <vector>

namespace kuvio::study {

/// Where the recipe that a capture is split by may no longer fit it, in sentences without their
/// full stops: held against the reference's first capture that the same recipe splits, unless the
/// capture is of that build itself.
std::vector<std::string> fit_remarks(const book::Book& book, const book::SplitCapture& capture);

}  // namespace kuvio::study
