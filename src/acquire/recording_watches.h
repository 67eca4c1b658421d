// SPDX-License-Identifier: GPL-3.0-or-later
// What a recording keeps an eye on beside its samples.
#pragma once

#include "book/disk.h"

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace kuvio::acquire {

/// Whether there is room left on the disk: what is kept free is for closing the capture properly.
class DiskGuard {
public:
  using Ask = std::function<std::optional<book::Disk>()>;

  /// `keep_free`: bytes to leave, or a tenth of the disk where that is less.
  DiskGuard(Ask ask, std::uint64_t keep_free) : ask_(std::move(ask)), keep_free_(keep_free) {}

  /// `unwritten`: bytes that still have to go into the book (its write-ahead log). A disk that says
  /// nothing is not full.
  bool full(std::uint64_t unwritten) {
    const auto disk = ask_();
    if (!disk) return false;
    free_ = disk->free;
    return disk->free < std::min(keep_free_, disk->size / 10) + unwritten;
  }
  /// Bytes free, as last known; asks where nobody has yet.
  std::optional<std::uint64_t> free() {
    if (!free_) {
      if (const auto disk = ask_()) free_ = disk->free;
    }
    return free_;
  }

private:
  Ask ask_;
  std::uint64_t keep_free_;
  std::optional<std::uint64_t> free_;
};

/// Notices that this computer was suspended.
class SleepWatch {
public:
  static constexpr double kLeast = 1;  // s: less is no sleep

  /// `slept`: how long it has slept in all (s).
  explicit SleepWatch(std::function<double()> slept)
      : slept_(std::move(slept)), seen_s_(slept_()) {}

  /// How long it slept since the last time there was an answer (s).
  std::optional<double> look() {
    const double now = slept_();
    if (now - seen_s_ < kLeast) return std::nullopt;
    return now - std::exchange(seen_s_, now);
  }

private:
  std::function<double()> slept_;
  double seen_s_;
};

/// Inputs whose links are lost and being tried again.
class LinkWatch {
public:
  /// `why`: by input, why each is away right now. Those that have just gone.
  std::vector<std::size_t> look(const std::vector<std::optional<std::string>>& why) {
    std::vector<std::size_t> gone;
    away_.clear();
    reported_.resize(why.size());
    for (std::size_t i = 0; i < why.size(); ++i) {
      if (why[i]) away_ += (away_.empty() ? "" : "; ") + *why[i];
      if (why[i] && !reported_[i]) gone.push_back(i);
      reported_[i] = why[i].has_value();
    }
    return gone;
  }
  /// Why, of all that are away; "" when none is.
  const std::string& away() const { return away_; }

private:
  std::vector<bool> reported_;
  std::string away_;
};

}  // namespace kuvio::acquire
