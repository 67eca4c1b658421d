// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/field_note.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QEvent>
#include <QPainter>

#include <algorithm>

namespace kuvio::app {
namespace {
constexpr int kApart = 4, kPad = 8;
constexpr Px kWidest{380};
constexpr int kStaysMs = 6000;  // after its field was left
}  // namespace

FieldNote::FieldNote(QWidget* window) : QLabel(window) {
  setObjectName(QStringLiteral("fieldNote"));
  setWordWrap(true);
  setMargin(kPad);
  setAttribute(Qt::WA_TransparentForMouseEvents);
  left_.setSingleShot(true);
  left_.setInterval(kStaysMs);
  connect(&left_, &QTimer::timeout, this, &QWidget::hide);
  window->installEventFilter(this);
}

FieldNote* FieldNote::of(const QWidget* field) {
  return field->window()->findChild<FieldNote*>(QString(), Qt::FindDirectChildrenOnly);
}

void FieldNote::say(QWidget* field, const QString& text) {
  FieldNote* note = of(field);
  if (!note) note = new FieldNote(field->window());
  note->stand(field, text, false);
}

void FieldNote::hint(QWidget* field, const QString& text) {
  FieldNote* note = of(field);
  if (!note) note = new FieldNote(field->window());
  note->stand(field, text, true);
}

void FieldNote::clear(const QWidget* field) {
  FieldNote* note = of(field);
  if (note && note->field_ == field) note->hide();
}

QString FieldNote::at(const QWidget* field) {
  const FieldNote* note = of(field);
  return note && note->isVisible() && note->field_ == field ? note->text() : QString();
}

void FieldNote::stand(QWidget* field, const QString& text, bool quiet) {
  quiet_ = quiet;
  if (field_ && field_ != field) field_->removeEventFilter(this);
  field_ = field;
  field->installEventFilter(this);
  if (!quiet) field->setAccessibleDescription(text);
  setFont(Theme::baseFont(13));
  QPalette p = palette();
  p.setColor(QPalette::WindowText, Theme::current().text());
  setPalette(p);
  setText(text);
  place();
  show();
  raise();
  if (field->hasFocus()) {
    left_.stop();
  } else {
    left_.start();
  }
}

/// Under its field, or over it where there is no room; inside the window.
void FieldNote::place() {
  if (!field_) return;
  const QFontMetrics metrics(font());
  const int width =
      std::min({int{kWidest}, metrics.horizontalAdvance(text()) + 2 * kPad + 2, window()->width()});
  resize(width, heightForWidth(width));
  const QWidget* around = window();
  const QPoint corner = field_->mapTo(around, QPoint(0, 0));
  const int below = corner.y() + field_->height() + kApart;
  const int y = below + height() <= around->height() ? below : corner.y() - height() - kApart;
  move(std::clamp(corner.x(), 0, std::max(0, around->width() - width)), std::max(0, y));
}

bool FieldNote::eventFilter(QObject* watched, QEvent* event) {
  if (watched == field_) {
    if (event->type() == QEvent::Hide) hide();
    if (event->type() == QEvent::FocusOut && isVisible()) {
      if (quiet_) hide();
      left_.start();
    }
    if (event->type() == QEvent::FocusIn) left_.stop();
  }
  if ((watched == window() && event->type() == QEvent::Resize) ||
      (watched == field_ && event->type() == QEvent::Move))
    place();
  return QLabel::eventFilter(watched, event);
}

void FieldNote::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(quiet_ ? t.border() : t.accent(), 1));
  painter.setBrush(t.ground());
  painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
  painter.end();
  QLabel::paintEvent(event);
}

}  // namespace kuvio::app
