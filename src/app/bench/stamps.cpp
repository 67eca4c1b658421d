// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/stamps.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QHBoxLayout>
#include <QPainter>

namespace kuvio::app {

Stamp::Stamp(const QString& name, const QString& text, QWidget* parent)
    : QPushButton(text, parent) {
  setObjectName(name);
  setFlat(true);
  setCursor(Qt::PointingHandCursor);
  setState(State::blank);
  connect(this, &QPushButton::clicked, this, [this] {
    setState(state_ == State::blank    ? State::ticked
             : state_ == State::ticked ? State::refused
                                       : State::blank);
    emit stateChanged();
  });
}

void Stamp::setState(State state) {
  state_ = state;
  setAccessibleName(state == State::ticked    ? tr("%1: yes").arg(text())
                    : state == State::refused ? tr("%1: no").arg(text())
                                              : tr("%1: not answered").arg(text()));
  update();
}

QSize Stamp::sizeHint() const {
  return {QFontMetrics(Theme::baseFont(12)).horizontalAdvance(text()) + Px{38}, Px{24}};
}

void Stamp::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& t = Theme::current();
  const QRectF box(6.5, height() / 2.0 - 6, 12, 12);
  painter.setPen(QPen(state_ == State::blank ? t.border() : t.text(), 1.2));
  painter.drawRoundedRect(box, 2, 2);
  if (state_ == State::ticked) {
    painter.setPen(QPen(t.text(), 1.8));
    painter.drawPolyline(QPolygonF(
        {{9.0, box.center().y()}, {11.5, box.center().y() + 3}, {16.0, box.center().y() - 4}}));
  } else if (state_ == State::refused) {
    painter.setPen(QPen(t.accent(), 1.8));
    painter.drawLine(QLineF(9.5, box.top() + 3, 15.5, box.bottom() - 3));
    painter.drawLine(QLineF(15.5, box.top() + 3, 9.5, box.bottom() - 3));
  }
  painter.setFont(Theme::baseFont(12));
  painter.setPen(state_ == State::blank ? t.muted() : t.text());
  painter.drawText(rect().adjusted(Px{25}, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, text());
  if (!hasFocus()) return;
  painter.setPen(QPen(t.focus(), 1.5));
  painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 4, 4);
}

Stamps::Stamps(const BenchControl& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(4);
  zeroed_ = new Stamp(QStringLiteral("stampZeroed"), tr("zeroed"), this);
  detached_ = new Stamp(QStringLiteral("stampDetached"), tr("debugger and USB detached"), this);
  settled_ = new Stamp(QStringLiteral("stampSettled"), tr("settled"), this);
  for (Stamp* s : {zeroed_, detached_, settled_}) row->addWidget(s);
  setToolTip(tr("Kept with the capture. None is required. A click ticks, a second one refuses."));
  connect(zeroed_, &Stamp::stateChanged, this, [this] {
    if (zeroed_->state() == Stamp::State::ticked) emit zeroRequested();
  });
  connect(settled_, &Stamp::stateChanged, this, [this] { settled_by_itself_ = false; });
}

/// Ticks itself when the current has settled, and takes that back when it no longer has; what a
/// person has said stays.
void Stamps::refresh() {
  const BenchState& s = bench_.state();
  const bool settled = s.phase == BenchState::Phase::ready && s.output_on && s.drift &&
                       *s.drift <= BenchState::kSettled;
  if (settled && settled_->state() == Stamp::State::blank) {
    settled_->setState(Stamp::State::ticked);
    settled_by_itself_ = true;
  } else if (!settled && settled_by_itself_ && s.phase == BenchState::Phase::ready) {
    settled_->setState(Stamp::State::blank);
    settled_by_itself_ = false;
  }
}

void Stamps::blankAll() {
  for (Stamp* s : {zeroed_, detached_, settled_}) s->setState(Stamp::State::blank);
  settled_by_itself_ = false;
}

void Stamps::read(RecordRequest& r) const {
  const auto answer = [&r](const Stamp* stamp, const char* key, const char* yes, const char* no) {
    if (stamp->state() != Stamp::State::blank)
      r.conditions[key] = stamp->state() == Stamp::State::ticked ? yes : no;
  };
  answer(zeroed_, "zeroed", "yes", "no");
  answer(detached_, "debugger", "detached", "attached");
  answer(settled_, "settled", "yes", "no");
}

}  // namespace kuvio::app
