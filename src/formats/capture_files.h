// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/text_import.h"

#include <functional>
#include <span>
#include <stop_token>
#include <string>
#include <string_view>

namespace kuvio::formats {

/// A kind of file that captures are read from, known by how it begins. To add one: what reads it,
/// and its line in the table (capture_files.cpp); command line and window follow.
struct ImportFormat {
  std::string_view key;                   ///< "hdf5"
  std::string_view words;                 ///< for people: "HDF5 file"
  std::string_view endings;               ///< for a list of files: "*.h5 *.hdf5"
  bool (*begins)(std::string_view head);  ///< null: what is none of the others
  ImportResult (*read)(book::Book& book, const std::string& file, const ImportSettings& settings,
                       const std::stop_token& stop, const std::function<void(double)>& progress);
};
std::span<const ImportFormat> import_formats();
/// The kind that a file is; a text log where it is none of the others, or cannot be looked into.
const ImportFormat& import_format_of(const std::string& file);

/// Reads a file into a book by what it is. Error usage where `settings` say of columns, rates or
/// shunts what only a text log has, and otherwise as its reader has them.
ImportResult import_file(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop = {},
                         const std::function<void(double)>& progress = {});

}  // namespace kuvio::formats
