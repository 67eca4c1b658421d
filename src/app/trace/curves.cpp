// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/curves.h"

#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "core/level_scale.h"
#include "core/recipe.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {

CurvePlottable::CurvePlottable(QCPAxis* time, QCPAxis* value) : QCPAbstractPlottable(time, value) {}

void CurvePlottable::setCurve(FramePtr frame, const Curve* curve) {
  frame_ = std::move(frame);
  curve_ = curve;
}

QCPRange CurvePlottable::getKeyRange(bool& found, QCP::SignDomain) const {
  found = frame_ != nullptr;
  return frame_ ? QCPRange(frame_->from_s, frame_->to_s) : QCPRange();
}

QCPRange CurvePlottable::getValueRange(bool& found, QCP::SignDomain, const QCPRange&) const {
  found = false;
  QCPRange out;
  const auto add = [&](double lo, double hi) {
    if (!found) out = QCPRange(lo, hi);
    found = true;
    out.lower = std::min(out.lower, lo);
    out.upper = std::max(out.upper, hi);
  };
  if (!curve_) return out;
  for (const EnvelopeColumn& c : curve_->columns) {
    if (c.any) add(c.lo, c.hi);
  }
  for (const TracePoint& p : curve_->points) add(p.value, p.value);
  return out;
}

double CurvePlottable::y(double value) const {
  const QCPAxis* axis = mValueAxis.data();
  if (quiet_ > 0) value = symlog(value, quiet_);
  // On a logarithmic axis nothing and less lie at its foot.
  if (axis->scaleType() == QCPAxis::stLogarithmic) value = std::max(value, axis->range().lower);
  return std::clamp(axis->coordToPixel(value), -4000.0, 8000.0);
}

void CurvePlottable::draw(QCPPainter* painter) {
  if (!curve_) return;
  if (hatched_) drawGaps(painter);
  drawFlags(painter);
  painter->setPen(mPen);
  painter->setBrush(Qt::NoBrush);
  const bool points = !curve_->points.empty();
  painter->setAntialiasing(points && dots_ && curve_->points.size() < 400);
  if (points) {
    drawPoints(painter);
  } else {
    drawColumns(painter);
  }
}

void CurvePlottable::drawColumns(QCPPainter* painter) const {
  const QCPAxis* key = mKeyAxis.data();
  const double width =
      (curve_->to_s - curve_->from_s) / static_cast<double>(curve_->columns.size());
  QVector<QLineF> lines;
  lines.reserve(static_cast<int>(curve_->columns.size()));
  double last_top = 0, last_bottom = 0;
  bool pen = false;
  for (std::size_t i = 0; i < curve_->columns.size(); ++i) {
    const EnvelopeColumn& c = curve_->columns[i];
    if (!c.any) {
      pen = false;
      continue;
    }
    const double x = key->coordToPixel(curve_->from_s + (static_cast<double>(i) + 0.5) * width);
    double top = y(c.hi), bottom = y(c.lo);
    const double own_top = top, own_bottom = bottom;
    if (pen && !c.missing) {  // reach to the neighbour, so that an edge is a line
      if (top > last_bottom) top = last_bottom;
      if (bottom < last_top) bottom = last_top;
    }
    lines.append(QLineF(x, top, x, std::max(bottom, top + 1)));
    last_top = own_top;
    last_bottom = own_bottom;
    pen = true;
  }
  painter->drawLines(lines);
}

void CurvePlottable::drawPoints(QCPPainter* painter) const {
  const QCPAxis* key = mKeyAxis.data();
  QPolygonF line;
  const auto flush = [&] {
    if (line.size() > 1) painter->drawPolyline(line);
    line.clear();
  };
  for (const TracePoint& p : curve_->points) {
    if (p.gap_before) flush();
    const QPointF at(std::clamp(key->coordToPixel(p.time_s), -8000.0, 16000.0), y(p.value));
    if (curve_->averaged && !line.isEmpty()) line.append(QPointF(at.x(), line.last().y()));
    line.append(at);
  }
  flush();
  const double pitch = curve_->points.size() > 1
                           ? key->axisRect()->width() / static_cast<double>(curve_->points.size())
                           : 0;
  if (pitch < 8 || !dots_) return;
  painter->setBrush(mPen.color());
  for (const TracePoint& p : curve_->points)
    painter->drawEllipse(QPointF(key->coordToPixel(p.time_s), y(p.value)), 1.8, 1.8);
}

/// Cross-hatched as missing; however short, a gap is two pixels wide.
void CurvePlottable::drawGaps(QCPPainter* painter) const {
  if (curve_->gaps.empty()) return;
  const QCPAxis* key = mKeyAxis.data();
  const QRect box = key->axisRect()->rect();
  painter->setAntialiasing(false);
  painter->setPen(Qt::NoPen);
  const QBrush hatch = Theme::current().fill(kMissing, {});
  for (const auto& [from, to] : curve_->gaps) {
    const double a = std::max(key->coordToPixel(from), box.left() - 1.0),
                 b = std::min(key->coordToPixel(to), box.right() + 2.0);
    if (b < box.left() || a > box.right()) continue;
    if (b - a < 4) {
      painter->fillRect(QRectF((a + b) / 2 - 1, box.top(), 2, box.height()),
                        Theme::current().border());
    } else {
      painter->fillRect(QRectF(a, box.top(), b - a, box.height()), hatch);
    }
  }
}

/// A bar along the lane's top with a sign of its kind: a triangle for over range, a diamond for a
/// range change, a cross for what is lost or no number.
void CurvePlottable::drawFlags(QCPPainter* painter) const {
  if (curve_->flags.empty()) return;
  const Theme& t = Theme::current();
  const QCPAxis* key = mKeyAxis.data();
  const QRect box = key->axisRect()->rect();
  painter->setAntialiasing(true);
  double last_sign = -100;
  for (const FlagRun& run : curve_->flags) {
    const double a = std::max(key->coordToPixel(run.from_s), box.left() - 1.0),
                 b = std::min(std::max(key->coordToPixel(run.to_s), a + 2), box.right() + 2.0);
    if (b < box.left() || a > box.right()) continue;
    const bool over = run.flag == Flag::over_range || run.flag == Flag::below_range;
    const double up = run.flag == Flag::below_range ? -1 : 1;
    const QColor colour = over ? t.accent() : t.muted();
    painter->fillRect(QRectF(a, box.top(), b - a, 2), colour);
    const double x = (a + b) / 2, y = box.top() + 7;
    if (x - last_sign < 10) continue;
    last_sign = x;
    painter->setPen(QPen(colour, 1));
    painter->setBrush(over ? QBrush(colour) : QBrush(Qt::NoBrush));
    if (over) {
      painter->drawPolygon(QPolygonF({{x, y - 4 * up}, {x + 4, y + 3 * up}, {x - 4, y + 3 * up}}));
    } else if (run.flag == Flag::range_change) {
      painter->drawPolygon(QPolygonF({{x, y - 4}, {x + 4, y}, {x, y + 4}, {x - 4, y}}));
    } else {
      painter->drawLine(QLineF(x - 3, y - 3, x + 3, y + 3));
      painter->drawLine(QLineF(x - 3, y + 3, x + 3, y - 3));
    }
  }
}

}  // namespace kuvio::app
