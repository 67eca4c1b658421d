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

/// The same of a layout's text; `name` stands for its file in errors.
void read_layout_text(const std::string& text, const std::string& name, ImportSettings& settings);
/// What settings say of how a log is read, as a layout's text; "" where they say nothing.
std::string layout_text(const ImportSettings& settings);

/// What kind of log a file is: logs with the same cells under the same titles are read the same
/// way. "" for what is no text log, or cannot be read.
std::string kind_of_log(const std::string& file, const std::stop_token& stop = {});

/// The layout that a log is read by, with whatever was guessed of it said. Errors as of
/// import_text; of the log only its head is looked at.
std::string layout_of(const std::string& file, const ImportSettings& settings,
                      const std::stop_token& stop = {});

}  // namespace kuvio::formats
