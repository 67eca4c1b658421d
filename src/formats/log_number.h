// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// How numbers are written in a log: in one way all through the file.
struct NumberMarks {
  char decimal = '.';
  char thousands = 0;  ///< between groups of three digits; 0: none
  bool operator==(const NumberMarks&) const = default;
};

/// A cell that begins with a number.
struct NumberCell {
  std::string_view plain;  ///< the number with a point and no marks: "-1234.5e-3"
  std::string_view unit;   ///< what stands behind it: "mA", "u", "" where nothing does
};

/// Takes a cell apart; nothing where it does not begin with a number, or goes on with something
/// that begins with a digit, a sign or a mark. `room` holds the plain text where marks are taken
/// out; it must live as long as the result.
std::optional<NumberCell> number_cell(std::string_view cell, const NumberMarks& marks,
                                      std::string& room);

/// What a cell says of the marks of its file, where it is a number written with commas or points.
enum class MarkEvidence {
  none,           ///< it has no mark, or is no number
  comma_decimal,  ///< can only be read with a decimal comma: "0,250", "1,5"
  point_decimal,  ///< only with a decimal point: "1,234.5", "1,234,567", "1.5"
  comma_either,   ///< "1,234": a thousand, or one and a bit
  point_either,   ///< "1.234": the same with a point
};
MarkEvidence mark_evidence(std::string_view cell);

/// The factor of a bare SI prefix behind a number ("u" in "4.7u"); nothing where it is none.
/// "m" is milli: minutes are "min".
std::optional<double> bare_prefix(std::string_view text);

/// Splits a line into cells without blanks and quotes around them; double quotes hold a cell
/// together, and a separator behind the last cell begins none where `most` are there.
void split_log_line(std::string_view line, char separator, std::vector<std::string_view>& out,
                    std::size_t most = 0);

/// A cell without the blanks, quotes and carriage return around it.
std::string_view bare_cell(std::string_view cell);

}  // namespace kuvio::formats
