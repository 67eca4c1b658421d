// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/trace_sketch.h"

#include "core/level_scale.h"

#include <QPainter>

#include <algorithm>

namespace kuvio::app {

void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink) {
  if (std::none_of(columns.begin(), columns.end(),
                   [](const EnvelopeColumn& c) { return c.any && (c.hi != 0 || c.lo != 0); }))
    return;
  // What flows back is distinguished from what rests: through zero, as the lane shows it.
  const LevelScale scale = LevelScale::of(columns);
  constexpr double kPen = 0.8;  // the least that a column is tall, inside the box
  const auto y = [&](double v) {
    return box.bottom() - kPen - scale.part(v) * (box.height() - kPen);
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
    lines.append(QLineF(x, a, x, std::max(b, a + kPen)));
    // Few columns stand apart: the level between them is drawn too.
    if (pitch > 1.5) lines.append(QLineF(x - pitch / 2, y(c.hi), x + pitch / 2, y(c.hi)));
    last = y(c.lo);
  }
  painter.drawLines(lines);
}

}  // namespace kuvio::app
