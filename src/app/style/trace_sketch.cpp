// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/trace_sketch.h"

#include "app/style/ticks.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {

double quiet_level(const std::vector<EnvelopeColumn>& columns) {
  std::vector<double> feet;
  for (const EnvelopeColumn& c : columns) {
    if (c.any && c.hi > 0) feet.push_back(std::max(c.lo, c.hi / 30));
  }
  if (feet.empty()) return 0;
  const auto at = feet.begin() + static_cast<std::ptrdiff_t>(feet.size() / 25);
  std::nth_element(feet.begin(), at, feet.end());
  return *at;
}

void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink) {
  if (columns.empty()) return;
  double top = 0, bottom = 0;
  for (const EnvelopeColumn& c : columns) {
    if (c.any) top = std::max(top, c.hi);
    if (c.any) bottom = std::min(bottom, c.lo);
  }
  const double largest = std::max(top, -bottom);
  if (!(largest > 0)) return;
  const double quiet = std::clamp(quiet_level(columns), largest * 1e-7, largest / 10);
  // What flows back is distinguished from what rests: through zero, as the lane shows it.
  const bool through = bottom < -0.02 * largest && bottom < -3 * quiet;
  const auto place = [&](double v) {
    return through ? symlog(v, quiet) : std::log10(std::max(v, quiet));
  };
  const double hi = place(top), lo = through ? place(bottom) : std::min(hi - 1, place(quiet));
  const auto y = [&](double v) {
    return box.bottom() - (std::clamp(place(v), lo, hi) - lo) / (hi - lo) * box.height();
  };
  const double pitch = box.width() / static_cast<double>(columns.size());
  painter.setPen(QPen(ink, 1));
  QVector<QLineF> lines;
  double last = -1;
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const EnvelopeColumn& c = columns[i];
    if (!c.any) {
      last = -1;
      continue;
    }
    const double x = box.left() + (static_cast<double>(i) + 0.5) * pitch;
    double a = y(c.hi), b = y(c.lo);
    if (last >= 0) {
      a = std::min(a, last);
      b = std::max(b, last);
    }
    lines.append(QLineF(x, a, x, std::max(b, a + 0.8)));
    last = y(c.lo);
  }
  painter.drawLines(lines);
}

}  // namespace kuvio::app
