// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/dot_stack.h"

#include <QLineF>

#include <algorithm>
#include <map>

namespace kuvio::app {

std::vector<StackedDot> stack_dots(const std::vector<std::pair<double, int>>& items,
                                   const QRectF& area, double radius) {
  const double cell = 2 * radius + 1;
  const auto x_of = [&](double share) { return std::clamp(share, 0.0, 1.0) * area.width(); };
  std::map<int, int> height, placed;
  int most = 1;
  for (const auto& [share, item] : items)
    most = std::max(most, ++height[static_cast<int>(x_of(share) / cell)]);
  const double step = std::min(cell, (area.height() - cell) / std::max(1, most - 1));
  std::vector<StackedDot> out;
  for (const auto& [share, item] : items) {
    const double x = x_of(share);
    const int below = placed[static_cast<int>(x / cell)]++;
    out.push_back({{area.left() + x, area.bottom() - radius - step * below}, item});
  }
  return out;
}

int dot_at(const std::vector<StackedDot>& dots, const QPointF& place) {
  constexpr double kReach = 8;  // pixels
  int best = -1;
  double nearest = kReach;
  for (const StackedDot& d : dots) {
    const double away = QLineF(d.at, place).length();
    if (away > nearest) continue;
    nearest = away;
    best = d.item;
  }
  return best;
}

}  // namespace kuvio::app
