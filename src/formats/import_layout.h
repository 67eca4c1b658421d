// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/text_import.h"

#include <stop_token>
#include <string>

namespace kuvio::formats {

// How logs of one kind are read, as a file (`*.layout.toml`; docs/text-logs.md has its keys): what
// was guessed of one and put right is said of the next without guessing.

/// Puts what a layout says into settings; what they say already of decimal mark, rate and shunt
/// stays, and columns that they name go before the layout's. Throws Error: no_input, bad_data with
/// "file:line".
void read_layout(const std::string& path, ImportSettings& settings);

/// The layout that a log is read by, with whatever was guessed of it said. Errors as of
/// import_text; of the log only its head is looked at.
std::string layout_of(const std::string& file, const ImportSettings& settings,
                      const std::stop_token& stop = {});

}  // namespace kuvio::formats
