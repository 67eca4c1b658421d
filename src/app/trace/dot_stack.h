// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPointF>
#include <QRectF>

#include <utility>
#include <vector>

namespace kuvio::app {

/// A dot that stands for one of many.
struct StackedDot {
  QPointF at;
  int item = 0;
};

/// Dots over the bottom of `area`, upon each other where they would cover each other, closer where
/// there are too many. `items`: where each lies across (0 to 1), and what it stands for.
std::vector<StackedDot> stack_dots(const std::vector<std::pair<double, int>>& items,
                                   const QRectF& area, double radius);

/// What a dot within reach of a place stands for; -1 of none.
int dot_at(const std::vector<StackedDot>& dots, const QPointF& place);

}  // namespace kuvio::app
