// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/cut_label.h"

#include "app/style/theme.h"

#include <QMouseEvent>
#include <QPainter>

namespace kuvio::app {

CutLabel::CutLabel(const QString& name, QWidget* parent) : QWidget(parent) {
  setObjectName(name);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
}

void CutLabel::say(const QString& text, const QColor& colour) {
  text_ = text;
  colour_ = colour;
  setToolTip(text);
  setAccessibleDescription(text);
  update();
}

QSize CutLabel::sizeHint() const {
  const QFontMetrics metrics(Theme::baseFont(13));
  return {metrics.horizontalAdvance(text_) + 2, metrics.height() + 4};
}

void CutLabel::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setFont(Theme::baseFont(13));
  painter.setPen(colour_);
  const QString cut = painter.fontMetrics().elidedText(text_, Qt::ElideRight, width());
  painter.drawText(rect(), Qt::AlignVCenter | Qt::AlignLeft, cut);
}

void CutLabel::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && !text_.isEmpty()) emit clicked();
}

}  // namespace kuvio::app
