// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/curves.h"

#include "app/look/theme.h"

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
  // On a logarithmic axis nothing and less lie at its foot.
  if (axis->scaleType() == QCPAxis::stLogarithmic) value = std::max(value, axis->range().lower);
  return std::clamp(axis->coordToPixel(value), -4000.0, 8000.0);
}

void CurvePlottable::draw(QCPPainter* painter) {
  if (!curve_) return;
  painter->setPen(mPen);
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

QRectF lanesBox(const QCustomPlot& plot) {
  QRectF out;
  for (const QCPAxisRect* rect : plot.axisRects())
    out = out.isNull() ? QRectF(rect->rect()) : out.united(QRectF(rect->rect()));
  return out;
}

StretchMark::StretchMark(QCustomPlot* plot, const ViewState& view)
    : QCPLayerable(plot), view_(view) {}
void StretchMark::applyDefaultAntialiasingHint(QCPPainter* painter) const {
  painter->setAntialiasing(true);
}
QRect StretchMark::clipRect() const {
  return lanesBox(*mParentPlot).adjusted(0, -8, 1, 1).toRect();
}

void StretchMark::draw(QCPPainter* painter) {
  if (!view_.capture() || mParentPlot->axisRectCount() == 0) return;
  const Theme& t = Theme::current();
  const QCPAxis* time = mParentPlot->axisRect(0)->axis(QCPAxis::atBottom);
  const QRectF box = lanesBox(*mParentPlot);
  const auto stretch = [&](double a, double b) {
    const double x0 = std::clamp(time->coordToPixel(a), box.left() - 20, box.right() + 20),
                 x1 = std::clamp(time->coordToPixel(b), box.left() - 20, box.right() + 20);
    return QRectF(x0, box.top(), x1 - x0, box.height());
  };
  if (view_.visit() != ViewState::kNone) {
    const Visit& v = view_.capture()->visits[static_cast<std::size_t>(view_.visit())].visit;
    QColor shade = t.text();
    shade.setAlpha(16);
    painter->fillRect(stretch(v.from_s, v.to_s), shade);
  }
  if (!view_.span()) return;
  QColor wash = t.focus();
  wash.setAlpha(30);
  const QRectF span = stretch(view_.span()->first, view_.span()->second);
  painter->fillRect(span, wash);
  painter->setPen(QPen(t.focus(), 1.2));
  painter->setBrush(t.focus());
  for (const double x : {span.left(), span.right()}) {
    painter->drawLine(QLineF(x, box.top(), x, box.bottom()));
    painter->drawRoundedRect(QRectF(x - 3, box.top() - 5, 6, 14), 2, 2);
  }
}

PointerMark::PointerMark(QCustomPlot* plot, const ViewState& view)
    : QCPLayerable(plot), view_(view) {}
void PointerMark::applyDefaultAntialiasingHint(QCPPainter* painter) const {
  painter->setAntialiasing(false);
}

void PointerMark::draw(QCPPainter* painter) {
  if (mParentPlot->axisRectCount() == 0) return;
  const QRectF box = lanesBox(*mParentPlot);
  if (mParentPlot->hasFocus()) {  // where the keyboard is
    painter->setPen(QPen(Theme::current().focus(), 1));
    painter->setBrush(Qt::NoBrush);
    painter->drawRect(box.adjusted(-1, -1, 1, 1));
  }
  if (!view_.pointer()) return;
  const QCPAxis* time = mParentPlot->axisRect(0)->axis(QCPAxis::atBottom);
  const double x = time->coordToPixel(*view_.pointer());
  if (x < box.left() || x > box.right()) return;
  painter->setPen(QPen(Theme::current().border(), 1, Qt::DashLine));
  painter->drawLine(QLineF(x, box.top(), x, box.bottom()));
}

}  // namespace kuvio::app
