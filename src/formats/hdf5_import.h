// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/text_import.h"

#include <functional>
#include <stop_token>
#include <string>
#include <string_view>

namespace kuvio::formats {

/// Whether a file begins as HDF5 does.
bool is_hdf5(std::string_view head);

/// Reads the captures of an HDF5 file as docs/exchange.md has them, ours or others'. A file that
/// nobody has vouched for is taken apart in a process of its own (kuvio-read-hdf5), which may fall;
/// what it says is checked here. `settings` name and build, where given, and add conditions; a
/// statement of accuracy stands for one that the file lacks. Errors: bad_data with what and where,
/// unavailable where that program is missing. On any error nothing of it stays in the book.
ImportResult import_hdf5(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop = {},
                         const std::function<void(double)>& progress = {});

}  // namespace kuvio::formats
