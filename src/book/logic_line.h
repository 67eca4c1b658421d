// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <vector>

namespace kuvio::book {

/// A stretch at which a logic line has one level (s), and whether it was seen to take and to leave
/// it: not at a gap, where its level is not known, and at the ends of what was recorded.
struct LineLevel {
  bool high = false;
  double from_s = 0, to_s = 0;
  bool begins_seen = false, ends_seen = false;
};

/// The levels of a logic line, in order. Between two samples it changed at the later one, which is
/// where recorders keep their changes; an instant's level holds until the next one would have come.
std::vector<LineLevel> levels_of_line(const Trace& line);

}  // namespace kuvio::book
