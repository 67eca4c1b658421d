// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>

namespace kuvio::acquire {

/// How long something has been waited for while this program ran. A pause of the program itself (a
/// stopped process, a paused or sleeping machine) is no waiting: what came meanwhile lies ready and
/// has not been looked at. Ask often: between two questions at most `kStep` counts.
class WaitClock {
public:
  static constexpr double kStep = 0.25;  // s

  void restart() {
    waited_s_ = 0;
    asked_ = Clock::now();
  }
  /// s since it was made or restarted, without pauses.
  double waited_s() {
    const auto now = Clock::now();
    waited_s_ += std::min(kStep, std::chrono::duration<double>(now - asked_).count());
    asked_ = now;
    return waited_s_;
  }

private:
  using Clock = std::chrono::steady_clock;
  Clock::time_point asked_ = Clock::now();
  double waited_s_ = 0;
};

}  // namespace kuvio::acquire
