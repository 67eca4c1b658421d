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
  std::optional<double> rate_hz;  ///< for files without a time column
  /// Turns the one column of voltage, a drop, into a current; of two, whose difference is the drop,
  /// makes one beside them.
  std::optional<double> shunt_ohm;
  std::optional<char> decimal;  ///< ',' or '.', where the file itself leaves it open
  std::string accuracy;
  Conditions conditions;
};

/// Something that the log did not plainly say, and what it rests on.
struct ImportGuess {
  std::string column;  ///< its title; "" where it is of the whole file
  std::string role;    ///< what it was taken for: "current", "decimal", "rate"
  std::string unit, lines, why;
};

/// A line that holds no samples.
struct SkippedLine {
  std::int64_t line = 0;
  std::string why;
};

struct ImportResult {
  std::int64_t capture = 0;            ///< the first
  std::vector<std::int64_t> captures;  ///< of a logger that began again several
  std::vector<std::string> warnings;
  std::vector<ImportGuess> guesses;
  std::vector<SkippedLine> skipped;  ///< the first thousand
};

/// Reads a text log into a capture, or several where the logger began again: cells between commas,
/// semicolons, tabs, bars or blanks; a preamble; a line of titles and one of units, or units in the
/// titles or in every cell; decimal commas and thousands marks, one way for the whole file; times
/// as numbers, time of day, ISO 8601, counted samples, or none and a rate. UTF-8 and UTF-16. Lines
/// that begin with # and lines without a number are skipped. Streams: memory does not grow with
/// the file. Times are read as exact decimals.
///
/// What the file itself supports two readings of is refused, with both. Times of day, calendar
/// times and seconds since 1970 become times since the first sample, which stands in the
/// capture's condition "log_began". A counter that wraps goes on.
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
