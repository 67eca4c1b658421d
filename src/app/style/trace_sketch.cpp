// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/trace_sketch.h"

#include "core/level_scale.h"

#include <QPainter>

#include <algorithm>
#include <optional>

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
  const bool few = pitch > 1.5;  // columns stand apart
  QVector<QLineF> lines;
  std::optional<QPointF> last;  // top and bottom of the column before
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const EnvelopeColumn& c = columns[i];
    if (!c.any) {
      last.reset();
      continue;
    }
    const double x = box.left() + (static_cast<double>(i) + 0.5) * pitch;
    const QPointF own(y(c.hi), y(c.lo));
    double top = own.x(), bottom = own.y();
    // It reaches to the one before, where they do not meet.
    if (last) {
      top = std::min(top, last->y());
      bottom = std::max(bottom, last->x());
    }
    // Of few columns the level between them is drawn, and not each one's noise below it.
    if (!few || bottom - top > 2 * kPen)
      lines.append(QLineF(x, top, x, std::max(bottom, top + kPen)));
    if (few) lines.append(QLineF(x - pitch / 2, own.x(), x + pitch / 2, own.x()));
    last = own;
  }
  painter.drawLines(lines);
}

}  // namespace kuvio::app
