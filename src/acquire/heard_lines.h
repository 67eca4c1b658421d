// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <mutex>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// The last lines that came over a wire, as they came: for people who must say what they mean. Any
/// thread.
class HeardLines {
public:
  static constexpr std::size_t kKept = 5, kLongest = 200;

  void take(const std::string& line) {
    const std::lock_guard lock(mutex_);
    lines_.push_back(line.substr(0, kLongest));
    if (lines_.size() > kKept) lines_.pop_front();
  }
  std::vector<std::string> last() const {
    const std::lock_guard lock(mutex_);
    return {lines_.begin(), lines_.end()};
  }

private:
  mutable std::mutex mutex_;  // held for moments only
  std::deque<std::string> lines_;
};

}  // namespace kuvio::acquire
