// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::book {
class Book;
struct CaptureInfo;
}  // namespace kuvio::book

namespace kuvio::formats {

/// What of a capture is to be written.
struct ExportRequest {
  std::vector<std::string> channels;     ///< empty: the main current and all sampled with it
  std::optional<double> from_s, to_s;    ///< nothing: as far as it goes
  std::function<bool(double)> going_on;  ///< asked with the share done; false gives up
};

/// What was written.
struct Exported {
  std::int64_t rows = 0;              ///< samples or visits
  std::vector<std::string> columns;   ///< channels written; none: given up, or it holds visits
  std::vector<std::string> left_out;  ///< channels on another time base or with other gaps
};

/// A kind of file that a capture can be written to. To add one: what writes it, and its line in the
/// table (export_formats.cpp); the command line's help and the window's dialog follow.
struct ExportFormat {
  std::string_view key;     ///< for --format
  std::string_view ending;  ///< of file names, without the dot
  std::string_view holds;   ///< "samples" or "visits"
  std::string_view words;   ///< for a list of formats: "text table of samples"
  /// Error cannot_create, or bad_data where the capture has no such thing.
  Exported (*write)(const std::string& path, const book::Book& book,
                    const book::CaptureInfo& capture, const ExportRequest& request);
};

std::span<const ExportFormat> export_formats();
/// None where nothing has that key; likewise by the ending of a path.
const ExportFormat* export_format(std::string_view key);
const ExportFormat* export_format_of(std::string_view path);
/// "csv or json", for messages.
std::string export_keys();

}  // namespace kuvio::formats
