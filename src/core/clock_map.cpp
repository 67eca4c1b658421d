// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clock_map.h"

#include <algorithm>
#include <cmath>

namespace kuvio {

ClockMap compose(const ClockMap& outer, const ClockMap& inner) {
  return {outer.at(inner.origin_s), outer.rate * inner.rate,
          outer.spread_s + outer.rate * inner.spread_s};
}

ClockMap inverse(const ClockMap& map) {
  return {-map.origin_s / map.rate, 1 / map.rate, map.spread_s / map.rate};
}

/// Adds a point to one half of a convex hull (Andrew's monotone chain): side +1 keeps what lies
/// lowest, -1 what lies highest.
void ClockFit::extend(std::vector<Corner>& hull, Corner next, double side) {
  if (!hull.empty() && next.x <= hull.back().x) {
    if (next.x < hull.back().x || side * (next.y - hull.back().y) >= 0) return;
    hull.pop_back();
  }
  while (hull.size() >= 2) {
    const Corner &a = hull[hull.size() - 2], &b = hull.back();
    const double turn = (b.x - a.x) * (next.y - a.y) - (b.y - a.y) * (next.x - a.x);
    if (side * turn > 0) break;
    hull.pop_back();
  }
  hull.push_back(next);
}

void ClockFit::add(const SyncPoint& point) {
  const bool over = std::isfinite(point.latest_s), under = std::isfinite(point.earliest_s);
  if (!std::isfinite(point.own_s) || !(over || under)) return;
  first_ = points_ == 0 ? point.own_s : std::min(first_, point.own_s);
  last_ = points_ == 0 ? point.own_s : std::max(last_, point.own_s);
  ++points_;
  if (over) extend(below_latest_, {point.own_s, point.latest_s}, 1);
  if (under) extend(above_earliest_, {point.own_s, point.earliest_s}, -1);
  if (over) {
    over_own_ += point.own_s;
    over_delay_ += point.latest_s - point.own_s;
  }
  bounds_over_ += over ? 1 : 0;
  bounds_under_ += under ? 1 : 0;
}

ClockFit::Line ClockFit::edge_over(const std::vector<Corner>& hull, double middle) {
  if (hull.size() == 1) return {1, hull[0].y + (middle - hull[0].x)};
  const auto after = std::partition_point(hull.begin() + 1, hull.end() - 1,
                                          [&](const Corner& c) { return c.x < middle; });
  const Corner &a = *(after - 1), &b = *after;
  const double slope = (b.y - a.y) / (b.x - a.x);
  return {slope, a.y + slope * (middle - a.x)};
}

std::optional<ClockMap> ClockFit::fit() const {
  if (below_latest_.empty()) return std::nullopt;
  const double middle = (first_ + last_) / 2;
  const bool two_way = !above_earliest_.empty();
  const double length = last_ - first_;
  // The tightest bounds at nominal rate.
  constexpr double kNone = std::numeric_limits<double>::infinity();
  double high = kNone, low = -kNone;
  for (const Corner& c : below_latest_) high = std::min(high, c.y - c.x);
  for (const Corner& c : above_earliest_) low = std::max(low, c.y - c.x);
  const double own_mean = over_own_ / static_cast<double>(bounds_over_),
               delay_mean = over_delay_ / static_cast<double>(bounds_over_);
  const double nominal_spread = two_way ? std::fabs(high - low) / 2 : delay_mean - high;
  const ClockMap nominal{two_way ? (low + high) / 2 : high, 1, nominal_spread};
  if (length < kLeast) return nominal;
  const Line over = edge_over(below_latest_, middle);
  Line line = over;
  // Mean arrival less the line there.
  double spread =
      std::max(0.0, own_mean + delay_mean - (over.height + over.slope * (own_mean - middle)));
  double by_delays = wander_s_;
  if (two_way) {
    const Line under = edge_over(above_earliest_, middle);
    // The least of many delays wanders less than that of a few: rates are weighed by it.
    const auto weight = [](std::size_t n) {
      return static_cast<double>(n) * static_cast<double>(n);
    };
    const double wo = weight(bounds_over_), wu = weight(bounds_under_);
    line = {(wo * over.slope + wu * under.slope) / (wo + wu), (over.height + under.height) / 2};
    spread = std::fabs(over.height - under.height) / 2;
    by_delays = std::min(spread, wander_s_) +
                std::min(wo, wu) / (wo + wu) * std::fabs(over.slope - under.slope) * length;
  }
  // A rate that delays alone may explain is none.
  const double off = std::fabs(line.slope - 1);
  if (off > kClock) by_delays = std::max(by_delays, kQueued);
  if (off * length < by_delays || off > kWrong) return nominal;
  return ClockMap{line.height - line.slope * middle, line.slope, spread};
}

double ClockFit::contradiction_s() const {
  if (below_latest_.empty() || above_earliest_.empty()) return 0;
  constexpr double kNone = std::numeric_limits<double>::infinity();
  double high = kNone, low = -kNone;
  for (const Corner& c : below_latest_) high = std::min(high, c.y - c.x);
  for (const Corner& c : above_earliest_) low = std::max(low, c.y - c.x);
  return std::max(0.0, low - high);
}

std::vector<SyncPoint> ClockFit::corners() const {
  std::vector<SyncPoint> out;
  constexpr double kNone = std::numeric_limits<double>::infinity();
  for (const Corner& c : below_latest_) out.push_back({c.x, -kNone, c.y});
  for (const Corner& c : above_earliest_) out.push_back({c.x, c.y, kNone});
  std::stable_sort(out.begin(), out.end(),
                   [](const SyncPoint& a, const SyncPoint& b) { return a.own_s < b.own_s; });
  return out;
}

}  // namespace kuvio
