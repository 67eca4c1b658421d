// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

namespace kuvio {

/// A device that starts over again and again.
struct ResetLoop {
  double from_s = 0;    ///< when its first round began
  int rounds = 0;       ///< seen so far
  double period_s = 0;  ///< mean time between them

  /// When the last of its rounds so far began.
  double to_s() const { return from_s + (rounds - 1) * period_s; }
};

/// What began one of a device's starts, and whether that was wanted.
struct DeviceStart {
  double at_s = 0;
  bool wanted = false;  ///< somebody switched it on, or reset it
};

/// Starts in a row that nobody wanted but the first: three rounds at least, the times between them
/// within a factor of two of the row's median. A device that somebody switches on again and again
/// is in no loop. `starts` in order of time.
std::vector<ResetLoop> loops_among(const std::vector<DeviceStart>& starts);

}  // namespace kuvio
