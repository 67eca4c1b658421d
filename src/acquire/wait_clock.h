// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/host_clock.h"

#include <algorithm>

namespace kuvio::acquire {

/// How long something has been waited for while this program ran. A pause of the program itself (a
/// stopped process, a paused or sleeping machine) is no waiting: what came meanwhile lies ready and
/// has not been looked at. Ask often: between two questions at most `kStep` counts.
///
/// Moments are those of host_now_s (s).
class WaitClock {
public:
  static constexpr double kStep = 0.25;  // s

  explicit WaitClock(double now_s = host_now_s()) : asked_s_(now_s) {}
  void restart(double now_s = host_now_s()) {
    waited_s_ = 0;
    asked_s_ = now_s;
  }
  /// s since it was made or restarted, without pauses.
  double waited_s(double now_s = host_now_s()) {
    waited_s_ += std::clamp(now_s - asked_s_, 0.0, kStep);
    asked_s_ = now_s;
    return waited_s_;
  }

private:
  double asked_s_, waited_s_ = 0;
};

}  // namespace kuvio::acquire
