// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/visit.h"

#include <cstddef>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// A line of the device's log.
struct TimedLine {
  double at_s = 0;
  std::string_view text;
};

/// A kind of log line that keeps falling on the beginnings of a state.
struct LogName {
  std::string state;
  std::string words;       ///< with which such lines begin: what comes before their first number
  std::size_t lines = 0;   ///< of that kind
  std::size_t visits = 0;  ///< entries into the state
  std::size_t met = 0;     ///< of them, those that such a line falls on
  double late_s = 0;       ///< median of how much later than the entry the line is
};

/// The words that a line of a log begins with: before the first one that holds a digit or "=", and
/// up to a colon. "wake: timer" and "wake: button" are of one kind, "sense n=128" of "sense".
std::string words_of(std::string_view line);

/// For each state the kind of lines that tells its beginning: one in ten entries may lack it, and
/// one in ten lines may fall elsewhere; two entries at least. A line tells of the entry nearest to
/// it, no further than `within_s` away. Of several kinds it is the nearest, of those as near as
/// each other the one that is written last.
std::vector<LogName> names_by_log(const Visits& visits, std::span<const TimedLine> lines,
                                  double within_s);

}  // namespace kuvio
