// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/log_cells.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// Whole lines of a log, and what of them could be read without knowing those before.
struct RowBlock {
  /// A line of the text; `end` without its line end.
  struct Line {
    std::uint32_t number = 0;  ///< from 0, within the block
    std::uint32_t begin = 0, end = 0;
  };
  /// A line that is for whoever knows the rows before: `row` of them stand before it.
  struct Left {
    std::size_t row = 0;
    Line line;
  };
  std::string_view text;
  bool torn = false;       ///< its last line has no end
  std::int64_t lines = 0;  ///< in the text
  std::vector<Left> left;

  /// How many rows were read.
  std::size_t rows() const { return row_count; }
  const Line& line(std::size_t row) const { return line_room[row]; }
  /// By row: ns, or the number of a counted sample.
  std::span<const std::int64_t> moments() const { return std::span(moment_room).first(row_count); }
  /// By row the whole number that was written as its time, or kNoCount; empty where none was.
  std::span<const std::int64_t> counts() const {
    return std::span(count_room).first(any_count ? row_count : 0);
  }
  /// By channel and row: SI, or `no_data`.
  std::span<const double> channel(std::size_t i) const {
    return std::span(channel_room[i]).first(row_count);
  }
  std::size_t channels() const { return channel_room.size(); }
  std::string_view of(const Line& line) const {
    return text.substr(line.begin, line.end - line.begin);
  }

  // Room that is kept from block to block; what lies beyond `row_count` means nothing.
  std::vector<char> room;  // of the text, and kReadBehind bytes behind it
  std::size_t row_count = 0;
  bool any_count = false;
  std::vector<Line> line_room;
  std::vector<std::int64_t> moment_room, count_room;
  std::vector<std::vector<double>> channel_room;
};

/// Reads the rows of a log that are plain, at the rate of memory rather than of conversions; the
/// same cells, read the same, as CellReader would. For one thread.
class RowParser {
public:
  RowParser(const LogPlan& plan, std::optional<double> shunt_ohm);
  ~RowParser();
  RowParser(const RowParser&) = delete;
  RowParser& operator=(const RowParser&) = delete;

  /// Fills a block from its text, which stands at the beginning of its room; a zero byte is put
  /// behind it.
  void parse(RowBlock& block);

private:
  struct Work;
  std::unique_ptr<Work> work_;
};

}  // namespace kuvio::formats
