// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// What a column of a text log is taken for.
enum class Role { time, current, voltage, ignore };

struct Column {
  std::string title;  ///< as it stands in the header, or "column 3"
  std::string name;   ///< channel name: the title without its unit
  Role role = Role::ignore;
  std::string unit;   ///< as written: "mA", "us"
  double factor = 1;  ///< to SI
};

/// Guesses quantity, unit and role from a header cell: "Current (mA)", "I [uA]", "current_ma",
/// "time_s", "t_us", "amps". What cannot be guessed is ignored.
Column guess_column(const std::string& title);

/// Applies "COL=ROLE[unit]": COL is a title, its name, or a number from 1; ROLE is time, current,
/// voltage or ignore. Throws std::invalid_argument.
void apply_column_option(std::vector<Column>& columns, const std::string& option);

/// Splits one line at a separator; double quotes hold cells together.
void split_cells(std::string_view line, char separator, std::vector<std::string_view>& out);

/// Reads a decimal number exactly as an integer count of 1/den: "0.125" with den 1000 is 125.
/// `exponent` is the power of ten of the unit (-3 for ms). Nothing when it is no number or too
/// large.
std::optional<std::int64_t> exact_decimal(std::string_view text, int exponent, int den_exponent);

}  // namespace kuvio::formats
