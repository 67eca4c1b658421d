// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <list>
#include <mutex>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::acquire {

/// Something that was said on an instrument's wire, and what it last answered.
struct Exchange {
  std::string said, answered;  ///< printable; no answer: a command, or none came
  std::int64_t times = 1;      ///< how often it was said
  double last_s = 0;           ///< when it was last said (host_clock.h)
};

/// What is said on one wire and answered there, to be looked at and copied into a question about
/// the instrument. What is said over and over stands once, with its last answer; of 64 different
/// messages the one not said for longest is forgotten. For several threads.
class TalkLog {
public:
  void said(std::string_view message);
  /// To what was said last.
  void answered(std::string_view text);
  /// The one said last stands last.
  std::vector<Exchange> exchanges() const;

private:
  static constexpr std::size_t kMost = 64;
  mutable std::mutex mutex_;  // held for moments only
  std::list<Exchange> all_;   // newest at the back
};

}  // namespace kuvio::acquire
