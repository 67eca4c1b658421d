// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/trace.h"
#include "formats/text_columns.h"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::acquire {

/// Makes readings of lines of numbers, by the rules of text logs: a header line with names and
/// units ("t [ms],I [uA]"), or units in every cell ("1034 ms; 3.28 V; 71.9 mA"), or neither and a
/// `columns` option. Commas, semicolons, tabs or spaces between cells; a decimal comma where they
/// are not commas. Pure: it knows no clock and no link.
class LineReader {
public:
  /// `columns`: titles between commas, as a header line would have them; "" to find out.
  /// `by_header`: a header line that was met before said so, and a later one may say otherwise.
  /// Throws std::invalid_argument where a title cannot be relied on.
  explicit LineReader(const std::string& columns, bool by_header = false);

  struct Reading {
    std::optional<std::int64_t> time_ns;  ///< by the line's own time column
    std::vector<double> values;           ///< SI; special ones as in core/special_value.h
  };
  enum class What { reading, header, other_units, other_header, nothing, text };
  /// What a line is. `text`: no reading, to be kept as a line of the device. `other_units`: a
  /// header came again with other units, which hold from now on; `other_header`: with other
  /// columns, which do not. Throws std::invalid_argument where the first header cannot be relied
  /// on.
  What take(std::string_view line, Reading& out);

  /// The titles of a header line that came, as a `columns` option has them; "" without one.
  const std::string& titles() const { return titles_; }
  bool has_time() const { return time_column_.has_value(); }
  struct Value {
    std::string name;
    Quantity quantity = Quantity::current;
    std::string unit;
  };
  /// The columns that carry values, in order.
  std::vector<Value> values() const;
  /// What was guessed, for people; "" when nothing was.
  const std::string& guessed() const { return guessed_; }

private:
  void set_columns(std::vector<formats::Column> columns);
  static void refuse_doubt(const std::vector<formats::Column>& columns);
  static std::vector<formats::Column> header_of(const std::vector<std::string_view>& cells);
  What header_again(const std::vector<formats::Column>& now);
  bool try_header(const std::vector<std::string_view>& cells);
  bool try_units(const std::vector<std::string_view>& cells);
  std::optional<double> value(std::string_view cell, const formats::Column& column) const;

  char separator_ = 0;
  std::vector<formats::Column> columns_;
  std::optional<std::size_t> time_column_;
  formats::ExactFactor time_factor_;
  bool by_header_ = true;
  std::string guessed_, titles_;
};

/// What each cell of a line would be taken for: a header's by its words, one with a unit by that.
/// What says nothing of itself is ignored; a person may know.
std::vector<formats::Column> columns_of_line(std::string_view line);

}  // namespace kuvio::acquire
