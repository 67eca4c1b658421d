// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

namespace kuvio::book {

/// Keeps a capture counting as being written by this process for as long as there is a writer.
class WritingMark {
public:
  WritingMark() = default;
  ~WritingMark();
  WritingMark(const WritingMark&) = delete;
  WritingMark& operator=(const WritingMark&) = delete;
  void begin(const std::string& path, std::int64_t capture);

private:
  std::string path_;
  std::int64_t capture_ = 0;
};

/// Whether a writer of this very process is at a capture: one that gave up on a full disk is not.
bool is_written_here(const std::string& path, std::int64_t capture);

}  // namespace kuvio::book
