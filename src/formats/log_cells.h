// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sample.h"
#include "formats/log_plan.h"

#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// Added to a value, makes "-0.000" plain zero: the sign of a zero that was rounded says nothing,
/// and samples with it are on no lattice of decimals.
inline constexpr double kNoSign = 0.0;

/// What stands for a sample that is no data: infinities for over and below range, else NaN.
double no_data(Flag flag);
/// Which flag a value stands for; nothing for data.
std::optional<Flag> flag_of_data(double value);

/// Stands for a number that is not whole, in arrays of them.
inline constexpr std::int64_t kNoCount = std::numeric_limits<std::int64_t>::min();

/// A moment as a log writes it.
struct Moment {
  std::int64_t ns = 0;              ///< from whatever its form counts from
  std::optional<std::int64_t> raw;  ///< the whole number that it was written as
};

/// The number of a cell as a double; nothing where it is too large for one.
std::optional<double> number_of(const NumberCell& cell);

/// Reads cells of a log by its plan. What depends on the rows before (counters that wrap, days that
/// pass) is not known here. Remembers units, so that each thread needs one of its own.
class CellReader {
public:
  /// `shunt_ohm` turns the one column of voltage into a current.
  CellReader(const LogPlan& plan, std::optional<double> shunt_ohm);

  enum class Fault { none, no_number, other_unit, no_unit };
  /// A sample in SI (A, V), or `no_data`.
  Fault value(std::size_t column, std::string_view cell, double& out);
  /// The moment of a time column that is a number, a count (read as seconds) or of the calendar or
  /// clock, without its date. `added`: what a counter's wraps add to what is written.
  std::optional<Moment> moment(std::size_t column, std::string_view cell, std::int64_t added = 0);

  /// Whether a column is the drop over the shunt.
  bool is_drop(const Column& column) const;
  /// From what a cell says to SI, the shunt included.
  double factor_of(const Column& column) const;
  /// The same with a unit of the cell's own; nothing where it is none of the column's quantity.
  std::optional<double> factor_of(std::size_t column, std::string_view unit);

private:
  const LogPlan& plan_;
  std::optional<double> shunt_ohm_;
  std::vector<CellUnit> units_;  // by column
  std::string room_;
};

}  // namespace kuvio::formats
