// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/time_base.h"
#include "formats/log_rows.h"
#include "formats/log_time.h"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// When the rows of a log were, in ticks: what depends on the rows before. Counters that wrap go
/// on, so do times of day over midnight; times of day, of the calendar and since an epoch count
/// from the first.
class LogClock {
public:
  LogClock(const LogPlan& plan, CellReader& cells);

  /// Without times one tick is half a sample period, else half a nanosecond: samples stamped at
  /// their centre are exact too.
  TimeBase base() const { return base_; }

  /// What is open of a capture.
  struct Open {
    bool any = false;
    std::int64_t rows = 0, last = 0;  ///< its samples, and the last one's tick
  };
  /// The tick of a row; nothing where its cell is no time. Throws std::invalid_argument for one
  /// that cannot be: too far, or more than its counter could show.
  std::optional<std::int64_t> row(const std::vector<std::string_view>& row, const Open& open);
  /// The row was taken for a sample.
  void took_row();
  /// By how much a counter that wraps has gone on through its wraps.
  std::int64_t wrapped() const { return counter_.added(); }

  /// The ticks of rows [at, to) that were read without those before and come behind `open`, as far
  /// as they go on in time and their counter shows nothing that takes those before; how many they
  /// are.
  std::size_t rows(const RowBlock& block, std::size_t at, std::size_t to, const Open& open,
                   std::vector<std::int64_t>& ticks);

  /// What follows begins again.
  void restart() { counter_.restart(); }
  /// The cell that its times count from; "" where they count from zero.
  std::string began() const { return zero_ == 0 ? std::string() : first_cell_; }

private:
  std::optional<std::int64_t> tick_of(std::int64_t n) const;
  std::int64_t counted(std::int64_t n) const;
  std::optional<std::int64_t> moment(const std::vector<std::string_view>& row, const Open& open);
  std::optional<std::int64_t> of_day(const std::vector<std::string_view>& row, const Open& open);
  void begin(const std::vector<std::string_view>& row, std::int64_t ns);
  std::string_view time_cell(const std::vector<std::string_view>& row) const {
    return row[static_cast<std::size_t>(plan_.time_column)];
  }

  const LogPlan& plan_;
  CellReader& cells_;
  TimeBase base_;
  Unwrapped counter_;
  std::optional<std::int64_t> raw_;  // of the row: the whole number that its time was written as
  std::int64_t days_ = 0;
  std::int64_t zero_ = 0;  // ns that its times count from
  std::string first_cell_;
};

}  // namespace kuvio::formats
