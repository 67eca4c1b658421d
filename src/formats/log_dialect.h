// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/log_number.h"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// A line of a log with its number, from 1.
struct LogLineText {
  std::int64_t number = 0;
  std::string text;
};

/// What stands before the samples: "Sample rate, 1000 Hz", "# board: 7".
struct PreambleEntry {
  std::int64_t line = 0;
  std::string key, value;
};

/// How a text log is written: found in its first lines, the same all through.
struct LogDialect {
  char separator = ',';        ///< ' ': blanks, however many
  char title_separator = ',';  ///< of the titles, where there are some: mostly the same
  NumberMarks marks;
  std::vector<PreambleEntry> preamble;
  std::int64_t header_line = 0, unit_line = 0;  ///< 0: there is none
  std::int64_t first_line = 0;                  ///< of the samples
  std::vector<std::string> titles, units;       ///< as written; empty without such a line
  std::size_t cells = 0;                        ///< in a line of samples
};

/// Finds separator, header, units and the first line of samples. Nothing where no line holds a
/// number. Its marks are not yet known.
std::optional<LogDialect> find_layout(const std::vector<LogLineText>& head);

/// Gathers from cells how numbers are written.
class MarkFinder {
public:
  /// Takes the cells of a line in.
  void look(std::int64_t line, const std::vector<std::string_view>& cells);
  /// Whether nothing that follows could change what is known.
  bool settled() const { return comma_.line > 0 || point_.line > 0; }
  /// Whether there is something to be settled.
  bool open() const { return !settled() && comma_either_.line > 0; }
  /// What they are. Throws std::invalid_argument where the file itself supports two readings, or
  /// contradicts itself: with both readings.
  NumberMarks marks() const;
  /// The line and cell that it rests on, for people; "" where there is no mark at all.
  std::string rests_on() const;

private:
  struct Seen {
    std::int64_t line = 0;
    std::string text;
  };
  Seen comma_, point_, comma_either_, point_either_;
};

}  // namespace kuvio::formats
