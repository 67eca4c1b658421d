// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/text_import.h"

#include <string_view>

namespace kuvio::formats {

/// Whether a file begins as a value change dump does: with a keyword of its declarations.
bool is_vcd(std::string_view head);

/// Reads the logic lines of a value change dump (IEEE 1364-2005, 18; four-state): every bit of
/// every variable a line named after it, within its scopes where two have the same name. `x` is a
/// gap, `z` a stretch of samples that are no number. Variables that are no bits (reals, strings)
/// are left out, and reported. Error bad_data with "file:line"; nothing of it stays in the book.
ImportResult import_vcd(book::Book& book, const std::string& file, const ImportSettings& settings,
                        const std::stop_token& stop = {},
                        const std::function<void(double)>& progress = {});

}  // namespace kuvio::formats
