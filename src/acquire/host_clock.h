// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <ctime>

namespace kuvio::acquire {

namespace detail {
inline double seconds_of(clockid_t clock) {
  timespec t{};
  ::clock_gettime(clock, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}
}  // namespace detail

/// This computer's time (s since it was started), which never jumps and goes on while the machine
/// sleeps: what every input's clock is compared with.
inline double host_now_s() { return detail::seconds_of(CLOCK_BOOTTIME); }

/// How long the machine has slept since it was started (s).
inline double slept_s() {
  return detail::seconds_of(CLOCK_BOOTTIME) - detail::seconds_of(CLOCK_MONOTONIC);
}

}  // namespace kuvio::acquire
