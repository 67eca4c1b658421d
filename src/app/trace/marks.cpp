// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/marks.h"

#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/trace/lanes.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {

QRectF lanesBox(const QCustomPlot& plot) {
  QRectF out;
  for (const QCPAxisRect* rect : plot.axisRects())
    out = out.isNull() ? QRectF(rect->rect()) : out.united(QRectF(rect->rect()));
  return out;
}

void LanesMark::applyDefaultAntialiasingHint(QCPPainter* painter) const {
  painter->setAntialiasing(true);
}

double LanesMark::pixelOf(double t) const {
  return mParentPlot->axisRect(0)->axis(QCPAxis::atBottom)->coordToPixel(t);
}

QRect StretchMark::clipRect() const {
  return lanesBox(*mParentPlot).adjusted(0, -8, 1, 1).toRect();
}

void StretchMark::draw(QCPPainter* painter) {
  if (!ready()) return;
  const Theme& t = Theme::current();
  const QRectF box = lanesBox(*mParentPlot);
  const auto stretch = [&](double a, double b) {
    const double x0 = std::clamp(pixelOf(a), box.left() - 20, box.right() + 20),
                 x1 = std::clamp(pixelOf(b), box.left() - 20, box.right() + 20);
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

ThresholdMark::ThresholdMark(Lanes& lanes, const ViewState& view)
    : LanesMark(&lanes, view), lanes_(lanes) {}

void ThresholdMark::draw(QCPPainter* painter) {
  const QRect box = lanes_.currentLane();
  if (!ready() || box.isEmpty() || thresholds_.empty()) return;
  const Theme& t = Theme::current();
  QFont font = Theme::baseFont(10);
  font.setItalic(true);
  painter->setFont(font);
  const QFontMetricsF metrics(font);
  // Which one it is says the pointer (a hint), or the hand that drags it.
  for (const Threshold& one : thresholds_) {
    const double y = lanes_.currentPixel(one.level).value_or(0);
    if (!(y > box.top() && y < box.bottom())) continue;
    painter->setPen(QPen(one.pencil ? t.focus() : t.muted(), one.pencil ? 1.5 : 1, Qt::DashLine));
    painter->drawLine(QLineF(box.left(), y, box.right(), y));
    painter->setPen(QPen(t.ground(), 0.8));  // so that handles upon each other stay apart
    painter->setBrush(one.pencil ? t.focus() : t.muted());
    painter->drawRoundedRect(QRectF(box.right() - kThresholdHandle, y - 2.5, kThresholdHandle, 5),
                             2, 2);
    if (!one.pencil) continue;
    const double width = metrics.horizontalAdvance(one.text) + 8;
    const double top = y - metrics.height() - 1;
    const QRectF words(box.right() - width - 2, top > box.top() ? top : y + 2, width,
                       metrics.height());
    painter->fillRect(words, t.ground());
    painter->setPen(t.muted());
    painter->drawText(words, Qt::AlignCenter, one.text);
  }
}

void PointerMark::draw(QCPPainter* painter) {
  if (mParentPlot->axisRectCount() == 0) return;
  painter->setAntialiasing(false);
  const QRectF box = lanesBox(*mParentPlot);
  if (mParentPlot->hasFocus()) {  // where the keyboard is
    painter->setPen(QPen(Theme::current().focus(), 1));
    painter->setBrush(Qt::NoBrush);
    painter->drawRect(box.adjusted(-1, -1, 1, 1));
  }
  if (!view_.pointer()) return;
  const double x = pixelOf(*view_.pointer());
  if (x < box.left() || x > box.right()) return;
  painter->setPen(QPen(Theme::current().border(), 1, Qt::DashLine));
  painter->drawLine(QLineF(x, box.top(), x, box.bottom()));
}

void CursorMark::draw(QCPPainter* painter) {
  if (!ready()) return;
  const Theme& t = Theme::current();
  const QRectF box = lanesBox(*mParentPlot);
  painter->setFont(Theme::baseFont(10, QFont::DemiBold));
  for (int i = 0; i < ViewState::kCursors; ++i) {
    if (!view_.cursor(i)) continue;
    const double x = pixelOf(*view_.cursor(i));
    if (x < box.left() - 1 || x > box.right() + 1) continue;
    painter->setPen(QPen(t.text(), 1, i == 0 ? Qt::SolidLine : Qt::DashDotLine));
    painter->drawLine(QLineF(x, box.top(), x, box.bottom() - 13));
    painter->setPen(Qt::NoPen);
    painter->setBrush(t.text());
    const QRectF flag(x - 7, box.bottom() - 14, 14, 14);
    painter->drawRoundedRect(flag, 3, 3);
    painter->setPen(t.ground());
    painter->drawText(flag, Qt::AlignCenter, QString::number(i + 1));
  }
}

void LogTicks::draw(QCPPainter* painter) {
  if (!ready()) return;
  const Theme& t = Theme::current();
  const QRectF box = lanesBox(*mParentPlot);
  const CaptureView& capture = *view_.capture();
  painter->setAntialiasing(false);
  // One tick a pixel: a talkative device must not cost more than the room there is.
  const auto ticks = [&](const auto& all, const auto& moment, const QPen& pen, double length) {
    painter->setPen(pen);
    double last = -10;
    auto it = std::partition_point(all.begin(), all.end(),
                                   [&](const auto& one) { return moment(one) < view_.from(); });
    while (it != all.end() && moment(*it) <= view_.to()) {
      const double x = std::round(pixelOf(moment(*it)));
      if (x > last + 0.5) painter->drawLine(QLineF(x, box.top() - 1 - length, x, box.top() - 1));
      last = x;
      const double next =
          view_.from() + (x + 1 - box.left()) / box.width() * (view_.to() - view_.from());
      it = std::partition_point(it + 1, all.end(),
                                [&](const auto& one) { return moment(one) < next; });
    }
  };
  ticks(
      capture.log, [](const book::LogLine& line) { return line.time_s; }, QPen(t.muted(), 1), 4);
  ticks(
      view_.logMatches(), [](double m) { return m; }, QPen(t.accent(), 1), 8);
  // Marks: a diamond, a line down, and their words where there is room.
  painter->setAntialiasing(true);
  const QFont font = Theme::baseFont(11);
  painter->setFont(font);
  const QFontMetricsF metrics(font);
  double free_from = box.left(), last = -10;
  for (const auto& [moment, text] : capture.marks) {
    if (moment < view_.from() || moment > view_.to()) continue;
    const double x = pixelOf(moment);
    if (x < last + 1) continue;  // one a pixel, as above
    last = x;
    painter->setPen(QPen(t.accent(), 1, Qt::DotLine));
    painter->drawLine(QLineF(x, box.top(), x, box.bottom()));
    painter->setPen(Qt::NoPen);
    painter->setBrush(t.accent());
    const QPointF at(x, box.top() - 6);
    painter->drawPolygon(QPolygonF(
        {at + QPointF(0, -4), at + QPointF(4, 0), at + QPointF(0, 4), at + QPointF(-4, 0)}));
    const QString words = QString::fromStdString(text);
    const double width = metrics.horizontalAdvance(words);
    if (words.isEmpty() || x + 6 < free_from || x + 6 + width > box.right()) continue;
    painter->setPen(t.accent());
    painter->drawText(QPointF(x + 6, box.top() - 3), words);
    free_from = x + 6 + width + 8;
  }
}

}  // namespace kuvio::app
