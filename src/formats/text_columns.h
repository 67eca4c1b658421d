// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"

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
  std::string guess;  ///< what was made of a header that does not quite say it, for people
  std::string doubt;  ///< why the header cannot be relied on, for people; empty: it can
  bool said = false;  ///< its role was given, not made out
};

/// Guesses quantity, unit and role from a header cell: "Current (mA)", "I [uA] avg", "current_ma",
/// "current mA", "time_s", "t_us", "amps". What cannot be guessed is ignored; where the title says
/// a quantity and goes on with words that are no unit of it, with a unit of another, or with one a
/// million times larger than benches have (MA), `doubt` says so.
Column guess_column(const std::string& title);

/// Whether a text is a unit written out ("sec", "Amps"), or the "S" of a header in capitals.
bool is_unit_word(std::string_view text);

/// Gives channels of one name names of their own: "I", "I2", as a live capture does.
void number_duplicates(std::vector<Column>& columns);

/// Applies "COL=ROLE[unit]": COL is a title, its name, or a number from 1; ROLE is time, current,
/// voltage or ignore. Throws std::invalid_argument.
void apply_column_option(std::vector<Column>& columns, const std::string& option);

/// The factor of the unit that a cell of a column has, known from the cells before.
class CellUnit {
public:
  /// To SI; nothing where it is no unit of the dimension. A bare prefix ("4.7u") is of the unit
  /// that its column has, where that is a plain one.
  std::optional<double> factor(std::string_view unit, const Column& column, Dimension dimension);

private:
  std::string unit_ = "\n";
  std::optional<double> factor_;
};

/// Reads a decimal number exactly as an integer count of 1/den: "0.125" with den 1000 is 125.
/// `exponent` is the power of ten of the unit (-3 for ms), `times` a whole factor on top (60 for
/// min). Nothing when it is no number or too large.
std::optional<std::int64_t> exact_decimal(std::string_view text, int exponent, int den_exponent,
                                          std::int64_t times = 1);

/// A unit's factor as a whole number times a power of ten: 60 and 0 for min, 1 and -3 for ms.
/// Throws std::invalid_argument where it is none.
struct ExactFactor {
  std::int64_t times = 1;
  int exponent = 0;
};
ExactFactor exact_factor(double factor);

}  // namespace kuvio::formats
