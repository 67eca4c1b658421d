// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "core/latency.h"
#include "core/recipe.h"

#include <string>

namespace kuvio::study {

/// How long a state of a capture is waited for, from each moment of an anchor (its offset
/// included). Throws std::invalid_argument where the anchor's expression is none; Error bad_data
/// where the capture lacks its logic line.
Latency waits_for(const book::Book& book, const book::SplitCapture& capture,
                  const std::string& state, const Anchor& anchor);

}  // namespace kuvio::study
