// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/repeatability.h"
#include "core/visit.h"

#include <cstddef>
#include <string>
#include <vector>

namespace kuvio {

/// One moment and the entry into the state that it was waited for.
struct Wait {
  double at_s = 0, entered_s = 0;
  std::size_t visit = 0;  ///< entered

  double length_s() const { return entered_s - at_s; }
};

/// How long a state was waited for, from each of some moments (s).
struct Latency {
  std::vector<Wait> waits;     ///< in order of time
  std::vector<double> missed;  ///< moments before the next of which the state was not entered
  std::vector<double> unseen;  ///< moments behind which a gap, Off or the capture's end came first
  Repeatability length;        ///< of the waits
  double shortest_s = 0, longest_s = 0, median_s = 0, p90_s = 0;
};

/// From each moment (s, in order of time) to the first entry into `state` before the next one. An
/// entry up to `slack_s` before a moment counts as its own: a line is written when what it tells of
/// has begun. An entry is answered to by one moment, the last before it.
Latency latency_of(const Visits& visits, const std::string& state,
                   const std::vector<double>& moments, double slack_s);

}  // namespace kuvio
