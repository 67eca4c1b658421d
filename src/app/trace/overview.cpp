// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/overview.h"

#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "app/style/trace_sketch.h"
#include "app/trace/lanes.h"

#include <QMouseEvent>
#include <QPainter>

#include <cmath>

namespace kuvio::app {

Overview::Overview(ViewState& view, QWidget* parent) : QWidget(parent), view_(view) {
  setObjectName(QStringLiteral("overview"));
  setAccessibleName(tr("Whole capture"));
  setAccessibleDescription(tr("The whole capture, with the visible part framed."));
  setFixedHeight(44);
  connect(&view_, &ViewState::captureChanged, this, [this] {
    sketch();
    update();
  });
  connect(&view_, &ViewState::rangeChanged, this, qOverload<>(&QWidget::update));
}

void Overview::applyTheme() {
  sketch();
  update();
}

void Overview::sketch() {
  const double scale = devicePixelRatioF();
  picture_ = QPixmap(size() * scale);
  picture_.setDevicePixelRatio(scale);
  picture_.fill(Theme::current().ground());
  if (!view_.capture()) return;
  QPainter painter(&picture_);
  const double room = width() - kLaneLeft - kLaneRight, whole = view_.end() - view_.begin();
  for (std::size_t i = view_.shown()->captures.size(); i-- > 0;) {
    const CaptureView& c = *view_.shown()->captures[i];
    if (!(whole > 0)) continue;
    const double x0 = kLaneLeft + (c.from_s + c.offset_s - view_.begin()) / whole * room,
                 x1 = kLaneLeft + (c.to_s + c.offset_s - view_.begin()) / whole * room;
    QColor ink = Theme::current().ink(c.ink);
    if (i > 0) ink.setAlpha(110);
    paint_sketch(painter, QRectF(x0, 7, x1 - x0, height() - 14), c.overview, ink);
  }
}

QRectF Overview::frameRect() const {
  if (!view_.capture()) return {};
  const double whole = view_.end() - view_.begin();
  const double width_px = std::max(1, width() - kLaneLeft - kLaneRight);
  if (!(whole > 0)) return {};
  const double x0 = kLaneLeft + (view_.from() - view_.begin()) / whole * width_px;
  const double x1 = kLaneLeft + (view_.to() - view_.begin()) / whole * width_px;
  return {x0, 2, std::max(3.0, x1 - x0), height() - 4.0};
}

double Overview::timeAt(double x) const {
  const double width_px = std::max(1, width() - kLaneLeft - kLaneRight);
  return view_.begin() + (x - kLaneLeft) / width_px * (view_.end() - view_.begin());
}

void Overview::resizeEvent(QResizeEvent*) { sketch(); }

void Overview::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.drawPixmap(0, 0, picture_);
  if (!view_.capture()) return;
  QColor wash = t.text();
  wash.setAlpha(14);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(t.border(), 1));
  painter.setBrush(wash);
  painter.drawRect(frameRect().adjusted(0.5, 0.5, -0.5, -0.5));
}

void Overview::mousePressEvent(QMouseEvent* event) {
  if (!view_.capture() || event->button() != Qt::LeftButton) return;
  const double t = timeAt(event->position().x()), width_s = view_.to() - view_.from();
  if (!frameRect().adjusted(-3, 0, 3, 0).contains(event->position()))
    view_.show(t - width_s / 2, t + width_s / 2);
  grabbed_ = t - view_.from();
}

void Overview::mouseMoveEvent(QMouseEvent* event) {
  if (!view_.capture() || !(event->buttons() & Qt::LeftButton)) return;
  const double from = timeAt(event->position().x()) - grabbed_;
  view_.show(from, from + view_.to() - view_.from());
}

void Overview::wheelEvent(QWheelEvent* event) {
  if (view_.capture())
    view_.zoomAt(timeAt(event->position().x()), std::pow(0.8, event->angleDelta().y() / 120.0));
}

}  // namespace kuvio::app
