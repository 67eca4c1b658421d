// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/log_dialect.h"
#include "formats/log_time.h"
#include "formats/text_columns.h"
#include "formats/text_import.h"
#include "formats/text_source.h"

#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::formats {

/// What a text log is taken to mean: how it is written, and what each column is.
struct LogPlan {
  LogDialect dialect;
  std::vector<Column> columns;
  std::vector<bool> unit_in_cell;  ///< by column: every cell has its own
  int time_column = -1, date_column = -1;
  TimeForm time_form = TimeForm::number;
  ExactFactor time_factor;        ///< of a number without a unit of its own
  std::vector<int> channels;      ///< columns that become channels
  std::optional<double> rate_hz;  ///< of samples without times, or counted ones
  std::optional<int> high, low;   ///< of two voltages at a shunt, the columns
  std::vector<ImportGuess> guesses;

  std::string name_of(int column) const { return columns[static_cast<std::size_t>(column)].title; }
};

/// Reads the head of a log, and as much more of it as its decimal mark asks for. Error bad_data
/// with "file:line" where it holds nothing to be read, or supports two readings; usage for columns
/// that are not there.
LogPlan plan_log(const TextSource& source, const ImportSettings& settings,
                 const std::stop_token& stop);

/// What a person has to say before a log can be read.
enum class LogAsks { nothing, columns, rate, decimal };

/// The same as far as it goes, with why it goes no further; "" where it is whole. What to do about
/// it is `asks`'s, in words of whoever shows it.
struct LogDraft {
  LogPlan plan;
  std::string trouble;
  LogAsks asks = LogAsks::nothing;
};
LogDraft draft_log(const TextSource& source, const ImportSettings& settings,
                   const std::stop_token& stop);

}  // namespace kuvio::formats
