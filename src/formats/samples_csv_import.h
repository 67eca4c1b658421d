// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/text_import.h"

#include <string_view>

namespace kuvio::formats {

/// Whether a file begins as samples that Kuvio has written do (samples_csv.h).
bool is_samples_csv(std::string_view head);

/// Reads such a file back: the same samples at the same exact times, gaps, flags, build, conditions
/// and accuracy. `settings` name and build, where given, and add conditions. Error bad_data with
/// "file:line" where it was changed so that it makes no sense; nothing of it stays in the book.
ImportResult import_samples_csv(book::Book& book, const std::string& file,
                                const ImportSettings& settings, const std::stop_token& stop = {},
                                const std::function<void(double)>& progress = {});

}  // namespace kuvio::formats
