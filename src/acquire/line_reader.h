// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/trace.h"
#include "formats/log_cells.h"
#include "formats/log_dialect.h"
#include "formats/log_plan.h"
#include "formats/log_time.h"
#include "formats/text_columns.h"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::acquire {

/// Makes readings of lines of numbers, by the rules of text logs and with their readers
/// (formats/log_cells.h): a header line with names and units ("t [ms],I [uA]"), or a line of units
/// below it, or units in every cell ("1034 ms; 3.28 V; 71.9 mA"), or none and a `columns` option.
/// Commas, semicolons, tabs or spaces between cells; one decimal mark for all lines; times as
/// numbers, counters that wrap, times of day that pass midnight, ISO 8601. Pure: it knows no clock
/// and no link.
class LineReader {
public:
  /// `columns`: titles between commas, as a header line would have them; "" to find out.
  /// `by_header`: a header line that was met before said so, and a later one may say otherwise.
  /// `decimal`: ',' or '.', where the lines themselves may leave it open.
  /// Throws std::invalid_argument where a title cannot be relied on.
  explicit LineReader(const std::string& columns, bool by_header = false,
                      std::optional<char> decimal = {});
  LineReader(const LineReader&) = delete;
  LineReader& operator=(const LineReader&) = delete;

  struct Reading {
    std::optional<std::int64_t> time_ns;  ///< by the line's own time column
    std::vector<double> values;           ///< SI; special ones as in core/special_value.h
  };
  enum class What { reading, header, other_units, other_header, nothing, text, open };
  /// What a line is. `text`: no reading, to be kept as a line of the device. `open`: it could be
  /// read in two ways, and nothing before it says which ("1,234"). `other_units`: a header came
  /// again with other units, which hold from now on; `other_header`: with other columns, which do
  /// not. Throws std::invalid_argument where the first header cannot be relied on.
  What take(std::string_view line, Reading& out);

  /// Times of the lines to come do not go on from those taken: they are read from the first again.
  void restart();

  /// The titles of a header line that came, as a `columns` option has them; "" without one.
  const std::string& titles() const { return titles_; }
  bool has_time() const { return plan_.time_column >= 0; }
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
  bool take_units(const std::vector<std::string_view>& cells);
  bool try_header(const std::vector<std::string_view>& cells);
  bool try_units(const std::vector<std::string_view>& cells);
  void keep_titles(const std::vector<formats::Column>& columns);
  What find_marks(const std::vector<std::string_view>& cells);
  void find_times(const std::vector<std::string_view>& cells);
  std::optional<std::int64_t> moment(const std::vector<std::string_view>& cells);
  What read(const std::vector<std::string_view>& cells, Reading& out);

  formats::LogPlan plan_;
  std::optional<formats::CellReader> cells_;
  formats::MarkFinder finder_;
  std::optional<char> decimal_;
  bool marks_known_ = false, times_known_ = false, any_ = false;
  formats::Unwrapped counter_;
  std::int64_t last_ns_ = 0, step_ns_ = 0, days_ = 0;  // of times of day
  bool by_header_ = true;
  std::string guessed_, titles_;
  std::string header_, units_;  // lines: the first header, and that of units below it
};

/// What each cell of a line would be taken for: a header's by its words, one with a unit by that.
/// What says nothing of itself is ignored; a person may know.
std::vector<formats::Column> columns_of_line(std::string_view line);

}  // namespace kuvio::acquire
