// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/trace_sketch.h"

#include "core/level_scale.h"

#include <QPainter>

#include <algorithm>
#include <limits>
#include <optional>

namespace kuvio::app {

namespace {

/// How far up a value stands, 0 to 1.
class Height {
public:
  Height(const std::vector<EnvelopeColumn>& columns, SketchScale scale)
      : scale_(scale), decades_(LevelScale::of(columns)) {
    for (const EnvelopeColumn& c : columns) {
      if (!c.any) continue;
      low_ = std::min(low_, c.lo);
      high_ = std::max(high_, c.hi);
    }
  }
  double of(double value) const {
    if (scale_ == SketchScale::decades) return decades_.part(value);
    return high_ > low_ ? (value - low_) / (high_ - low_) : 0.5;
  }

private:
  SketchScale scale_;
  LevelScale decades_;
  double low_ = std::numeric_limits<double>::infinity(), high_ = -low_;
};

}  // namespace

void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink, SketchScale scale) {
  if (std::none_of(columns.begin(), columns.end(),
                   [](const EnvelopeColumn& c) { return c.any && (c.hi != 0 || c.lo != 0); }))
    return;
  // What flows back is distinguished from what rests: through zero, as the lane shows it.
  const Height height(columns, scale);
  constexpr double kPen = 0.8;  // the least that a column is tall, inside the box
  const auto y = [&](double v) {
    return box.bottom() - kPen - height.of(v) * (box.height() - kPen);
  };
  const double pitch = box.width() / static_cast<double>(columns.size());
  painter.setPen(QPen(ink, 1));
  const bool few = pitch > 1.5;  // columns stand apart
  QVector<QLineF> lines;
  std::optional<QPointF> last;  // top and bottom of the last column that holds samples
  std::size_t at = 0;           // that column
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const EnvelopeColumn& c = columns[i];
    if (!c.any) {
      if (c.missing) last.reset();  // else it lies between two samples
      continue;
    }
    const double x = box.left() + (static_cast<double>(i) + 0.5) * pitch;
    const QPointF own(y(c.hi), y(c.lo));
    if (last && i > at + 1) {
      const double before = box.left() + (static_cast<double>(at) + 0.5) * pitch;
      lines.append(QLineF(before, (last->x() + last->y()) / 2, x, (own.x() + own.y()) / 2));
      last = own;  // there is no step from the column before
    }
    at = i;
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
