// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/log_rows.h"

#include <condition_variable>
#include <cstdint>
#include <exception>
#include <fstream>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

namespace kuvio::formats {

/// The lines of a log from some byte on, taken apart by several threads and given in their order.
/// Holds a few blocks at a time, however large the file is.
class LogBlocks {
public:
  /// `path` is what people call it, `at` where it lies; `offset` is where a line begins. As many
  /// parsers as the machine has cores, at most four, unless said.
  LogBlocks(const std::string& path, const std::string& at, std::int64_t offset,
            const LogPlan& plan, std::optional<double> shunt_ohm, unsigned parsers = 0);
  ~LogBlocks();
  LogBlocks(const LogBlocks&) = delete;
  LogBlocks& operator=(const LogBlocks&) = delete;

  /// The next block; null behind the last. It stands until the next call. Error bad_data where a
  /// line is longer than a log's can be, io where reading fails.
  const RowBlock* next();
  /// Of the file, how much has been given.
  double share() const { return size_ > 0 ? static_cast<double>(given_bytes_) / size_ : 1; }

private:
  struct Slot {
    RowBlock block;
    std::exception_ptr failed;
    bool ready = false;
  };
  void parse_blocks(const std::stop_token& stop, const LogPlan& plan,
                    std::optional<double> shunt_ohm);
  bool fill(RowBlock& block);

  std::string path_;
  std::ifstream in_;
  double size_ = 0;
  std::int64_t given_bytes_ = 0;
  std::vector<Slot> slots_;
  std::size_t given_ = 0;  // blocks that were given and are done with
  bool holding_ = false;   // the last one given is in use

  std::mutex file_;  // guards what a reader of the next block needs
  std::string rest_;
  std::size_t taken_ = 0;
  bool at_end_ = false;

  std::mutex mutex_;  // guards the slots' states
  std::condition_variable_any changed_;
  std::size_t ends_at_ = SIZE_MAX;  // so many blocks there are
  std::vector<std::jthread> parsers_;
};

}  // namespace kuvio::formats
