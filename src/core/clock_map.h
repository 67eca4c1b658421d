// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <limits>
#include <optional>
#include <vector>

namespace kuvio {

/// One moment seen on two clocks: when an input's own clock stood at `own_s`, the reference clock
/// stood somewhere in [earliest_s, latest_s] (all s). A one-way link only shows that something had
/// been taken before it arrived: then `earliest_s` is minus infinity.
struct SyncPoint {
  double own_s = 0;
  double earliest_s = -std::numeric_limits<double>::infinity();
  double latest_s = 0;
};

/// How an input's own time lies on a reference clock: reference = origin_s + rate * own.
struct ClockMap {
  double origin_s = 0;
  double rate = 1;  ///< reference seconds per second of the input's own; 1 + 1e-6 per ppm slow
  /// Half the width left between the bounds; of a one-way link, whose least delay nobody knows, by
  /// how much arrivals lie behind the line on average.
  double spread_s = 0;

  double at(double own_s) const { return origin_s + rate * own_s; }
  double own(double reference_s) const { return (reference_s - origin_s) / rate; }
  bool operator==(const ClockMap&) const = default;
};

/// `inner` first, then `outer`.
ClockMap compose(const ClockMap& outer, const ClockMap& inner);
ClockMap inverse(const ClockMap& map);

/// Fits a ClockMap to sync points as they come, for a night, in little memory.
///
/// Delay on a link is never negative, so the true line lies below every `latest` and above every
/// `earliest`: of each set only the corners of its convex hull matter, and they are few. The line
/// taken is the lowest edge over the middle of what was seen (Moon, Skelly and Towsley 1999,
/// "Estimation and removal of clock skew from network delay measurements"), for two-way points the
/// mean of that and its mirror image from below. Bounds of one
/// kind must come in order of `own_s`; one that does not is left out.
class ClockFit {
public:
  /// `wander_s`: by how much the least delays of a link may differ from one time to another.
  explicit ClockFit(double wander_s = 1e-3) : wander_s_(wander_s) {}

  void add(const SyncPoint& point);

  /// Nothing before the first point. The rate is taken as 1 with less than `kLeast` of own time
  /// between first and last, and where it differs by no more than delays could feign: what waited
  /// in queues while both sides were busy arrives faster than it was taken, so a rate that no
  /// oscillator has (`kClock` off and more) is believed only once it has made `kQueued` of
  /// difference, and one off by more than `kWrong` never.
  std::optional<ClockMap> fit() const;
  /// By how much (s) the points contradict a clock of rate 1, between the first and the last: what
  /// was bounded from both sides cannot be so. 0 where they do not, as with one-way links.
  double contradiction_s() const;
  double length_s() const { return last_ - first_; }  ///< of own time between first and last
  /// The corners that decide the fit, in order of own time.
  std::vector<SyncPoint> corners() const;
  std::size_t points() const { return points_; }

  static constexpr double kLeast = 2;     // s
  static constexpr double kClock = 0.02;  // RC oscillators are this good
  static constexpr double kQueued = 10;   // s; more than rings and sockets keep of a fast input
  static constexpr double kWrong = 0.25;

private:
  struct Corner {
    double x = 0, y = 0;
  };
  static void extend(std::vector<Corner>& hull, Corner next, double side);
  struct Line {
    double slope = 0, height = 0;  // at the middle
  };
  static Line edge_over(const std::vector<Corner>& hull, double middle);

  std::vector<Corner> below_latest_, above_earliest_;
  double wander_s_, first_ = 0, last_ = 0;
  std::size_t points_ = 0, bounds_over_ = 0, bounds_under_ = 0;
  double over_own_ = 0, over_delay_ = 0;  // sums over upper bounds: own; latest - own
};

}  // namespace kuvio
