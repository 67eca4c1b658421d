// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/wait_clock.h"

#include <cstdint>
#include <deque>

namespace kuvio::acquire {

/// Whether an input goes on delivering, and whether this computer's clock agrees with what it says
/// of its rate. Each is found once. To be asked at every turn of a recording.
class ArrivalWatch {
public:
  /// How an input stands.
  struct Seen {
    double now_s = 0;            ///< host_now_s
    std::int64_t samples = 0;    ///< so far
    double recorded_s = 0;       ///< own time they cover
    bool accounted_for = false;  ///< ended, or its link is away: its silence is known already
    bool has_rate = true;        ///< its samples have no times of their own
    bool rate_is_wrong = false;  ///< its sync points rule the rate out that it says
  };
  enum class Finding { none, silent, clock_contradicts };

  /// `time_scale`: seconds of its own for one of this computer's.
  ArrivalWatch(double time_scale, double now_s)
      : scale_(time_scale), silent_(now_s), contradicted_(now_s) {}

  Finding look(const Seen& seen);
  /// At the end, when nothing more comes: what could have been a pause is none.
  Finding settle(const Seen& seen);

  bool any() const { return samples_ > 0; }
  bool is_silent() const { return reported_silent_; }
  double silent_s() const { return waited_s_; }  ///< as of the last look
  /// Between the first and the last arrival, by its own time and by this computer's (s, scaled).
  double own_s(const Seen& seen) const { return seen.recorded_s - first_own_s_; }
  double real_s() const { return (last_host_s_ - first_host_s_) * scale_; }

private:
  Finding compare(const Seen& seen, bool settled);

  double scale_;
  std::int64_t samples_ = 0;
  WaitClock silent_, contradicted_;
  double waited_s_ = 0;
  bool reported_silent_ = false, reported_clock_ = false;
  double first_host_s_ = 0, first_own_s_ = 0, last_host_s_ = 0;
};

/// Ends a capture of a given length whose samples do not come: by this computer's clock.
class TimeLimit {
public:
  TimeLimit(double time_scale, double now_s) : scale_(time_scale), begun_(now_s) {}

  /// The first sample has come: the time counts from here.
  void begin(double now_s) { begun_.restart(now_s); }
  /// Whether `until_s` of the capture have passed without the samples of them. What is only behind
  /// and goes on coming may do so for a while; a bench that is simulated faster than this computer
  /// keeps up with, for as long as it comes. `any`: whether a first sample has come.
  bool is_up(double now_s, double recorded_s, double until_s, bool any);

private:
  struct Pace {
    double waited_s = 0, recorded_s = 0;
  };
  double scale_;
  WaitClock begun_;
  std::deque<Pace> pace_;  // of the last seconds
};

}  // namespace kuvio::acquire
