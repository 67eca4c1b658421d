// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/sample.h"

#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::formats {

/// Where within its interval an averaged sample is stamped.
enum class Stamp { start, centre, end };

struct ImportSettings {
  std::string name, build;
  std::vector<std::string> columns;  ///< "COL=ROLE[unit]"
  SampleKind kind = SampleKind::instant;
  Stamp stamp = Stamp::start;
  std::optional<double> rate_hz;    ///< for files without a time column
  std::optional<double> shunt_ohm;  ///< turns the one voltage column into a current
  std::string accuracy;
  Conditions conditions;
};

struct ImportResult {
  std::int64_t capture = 0;
  std::vector<std::string> warnings;
};

/// Reads a text log (comma, semicolon or tab separated, with a header line; lines that begin with #
/// are skipped) into one capture. Streams: memory does not grow with the file. Times are read as
/// exact decimals.
///
/// Samples that are evenly spaced are stored so, a jump in time is a gap (unless it comes four
/// times in a row: then that is how the log goes on), anything else keeps its own times. A pipe is
/// read once. Columns whose unit is not known are refused; a unit taken for granted, and a log
/// most of which is missing, are warned of. NaN, empty cells and 9.91E37 are flagged
/// not-a-number, 9.9E37 and OVLD over-range: gaps, never data. A torn last line is left out and
/// reported. On any Error (bad_data with "file:line", no_input, usage) nothing of it stays in the
/// book.
ImportResult import_text(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop = {},
                         const std::function<void(double)>& progress = {});

}  // namespace kuvio::formats
