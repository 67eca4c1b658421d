// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/message_row.h"

#include "app/engine/bench_control.h"
#include "app/engine/text.h"
#include "app/engine/time_notation.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"

#include <QAccessible>
#include <QEvent>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPlainTextEdit>
#include <QStyle>
#include <QTime>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr Px kHeight{30}, kButton{24};
constexpr int kFadesMs = 8000;  // what was done or noted is quiet then
constexpr Px kRecording{260}, kWork{190};

/// Whole seconds, in the notation in force.
QString whole_seconds(double s) { return qs(time_text(std::floor(s), 0)); }

QString sign_of(Message::Weight weight) {
  return weight == Message::Weight::done   ? QStringLiteral("✓ ")
         : weight == Message::Weight::note ? QString()
                                           : QStringLiteral("! ");
}

/// Takes no place of its own when it is hidden, but keeps it; where there is little room, the
/// message has it.
void keep_place(QWidget* widget) {
  if (is_cramped()) return;
  QSizePolicy policy = widget->sizePolicy();
  policy.setRetainSizeWhenHidden(true);
  widget->setSizePolicy(policy);
}

QPushButton* small_button(const QString& text, const char* name, QWidget* parent) {
  auto* out = button(text, QLatin1String(name), parent);
  out->setFlat(true);
  out->setFixedHeight(kButton);
  return out;
}

}  // namespace

WorkStrip::WorkStrip(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("workStrip"));
  setFixedWidth(kWork);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  text_ = new CutLabel(QStringLiteral("work"), this);
  text_->setAccessibleName(tr("Under way"));
  cancel_ = small_button(tr("Cancel"), "cancelWork", this);
  row->addSpacing(44);
  row->addWidget(text_, 1);
  row->addWidget(cancel_);
  keep_place(this);
  delay_.setSingleShot(true);
  delay_.setInterval(200);
  beat_.setInterval(60);
  connect(&delay_, &QTimer::timeout, this, [this] {
    show();
    beat_.start();
  });
  connect(&beat_, &QTimer::timeout, this, [this] {
    ++phase_;
    update();
  });
  connect(cancel_, &QPushButton::clicked, this, &WorkStrip::cancelled);
  hide();
}

void WorkStrip::setWork(const QString& what) {
  if (what.isEmpty()) {
    delay_.stop();
    beat_.stop();
    hide();
    return;
  }
  text_->say(what + QStringLiteral("…"), Theme::current().muted());
  setToolTip(what);
  setAccessibleName(what);
  if (!isVisible() && !delay_.isActive()) delay_.start();
}

void WorkStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF box(0, height() / 2.0 - 2, 36, 4);
  painter.setPen(Qt::NoPen);
  painter.setBrush(t.ruling());
  painter.drawRoundedRect(box, 2, 2);
  painter.setBrush(t.focus());
  const double at = (std::sin(phase_ / 8.0) + 1) / 2 * (box.width() - 12);
  painter.drawRoundedRect(QRectF(box.left() + at, box.top(), 12, 4), 2, 2);
}

RecordingStrip::RecordingStrip(BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("recordingStrip"));
  setFixedWidth(is_cramped() ? Px{200} : kRecording);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  text_ = new CutLabel(QStringLiteral("recordingText"), this);
  stop_ = button(tr("Stop"), QStringLiteral("stripStop"), this, true);
  stop_->setAccessibleName(tr("Stop the recording"));
  stop_->setFixedSize(Px{86}, kButton);
  row->addWidget(text_, 1);
  row->addWidget(stop_);
  keep_place(this);
  connect(stop_, &QPushButton::clicked, this, [this] { bench_.stop(); });
  connect(&bench_, &BenchControl::changed, this, &RecordingStrip::showState);
  showState();
}

void RecordingStrip::showState() {
  const BenchState& s = bench_.state();
  setVisible(bench_.recording());
  if (!bench_.recording()) return;
  // What changes comes first: the name is cut where there is no room for it.
  QString text = s.armed ? tr("◌ armed") : tr("● %1").arg(whole_seconds(s.recorded_s));
  if (s.wanted_s > 0 && !s.armed) text += tr(" of %1").arg(whole_seconds(s.wanted_s));
  if (!s.away.empty()) text += tr(" · link lost");
  text += tr(" · %1").arg(qs(s.name));
  text_->say(text, Theme::current().accent());
  QStringList more{text};
  if (s.armed) more << tr("Waiting for its start condition.");
  if (s.disk_free)
    more << tr("%1 GB free on the disk.").arg(static_cast<double>(*s.disk_free) / 1e9, 0, 'f', 0);
  if (!s.away.empty()) more << qs(s.away);
  text_->setToolTip(more.join(QLatin1Char('\n')));
  stop_->setText(s.away.empty() ? tr("Stop") : tr("End capture"));
}

MessageRow::MessageRow(BenchControl& bench, QWidget* parent)
    : QWidget(parent),
      text_(new CutLabel(QStringLiteral("message"), this)),
      offer_(small_button({}, "messageOffer", this)),
      seen_(small_button(QStringLiteral("×"), "messageSeen", this)),
      history_(small_button({}, "messageHistory", this)),
      work_(new WorkStrip(this)) {
  setFixedHeight(kHeight);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(20, 0, 16, 2);
  row->setSpacing(6);
  text_->setAccessibleName(tr("Message"));
  seen_->setFixedWidth(kButton);
  keep_place(seen_);
  keep_place(history_);
  seen_->setAccessibleName(tr("Dismiss the message"));
  seen_->setToolTip(tr("Dismiss"));
  history_->setFixedWidth(Px{48});
  row->addWidget(text_, 1);
  row->addWidget(offer_);
  row->addWidget(seen_);
  row->addWidget(history_);
  row->addWidget(work_);
  row->addWidget(new RecordingStrip(bench, this));
  connect(offer_, &QPushButton::clicked, this, [this] {
    const auto run = shown_.run;
    if (run) run();
  });
  connect(seen_, &QPushButton::clicked, this, &MessageRow::dismiss);
  connect(history_, &QPushButton::clicked, this, &MessageRow::showHistory);
  connect(text_, &CutLabel::clicked, this, &MessageRow::showHistory);
  fading_.setSingleShot(true);
  fading_.setInterval(kFadesMs);
  connect(&fading_, &QTimer::timeout, this, &MessageRow::fade);
  dismiss();
}

void MessageRow::say(const Message& message) {
  if (message.text.isEmpty()) return;
  said_.push_front({QTime::currentTime().toString(QStringLiteral("HH:mm:ss")), message});
  if (said_.size() > kKept) said_.pop_back();
  shown_ = message;
  faded_ = false;
  if (message.weight == Message::Weight::trouble) {
    fading_.stop();  // it stays until it was seen
  } else {
    fading_.start();
  }
  takeLast();
  QAccessibleEvent alert(text_, QAccessible::Alert);
  QAccessible::updateAccessibility(&alert);
}

void MessageRow::dismiss() {
  shown_ = {};
  fading_.stop();
  takeLast();
}

void MessageRow::fade() {
  faded_ = true;
  takeLast();
}

QColor MessageRow::colour() const {
  const Theme& t = Theme::current();
  if (shown_.weight == Message::Weight::trouble) return t.accent();
  return faded_ ? t.muted() : t.text();
}

void MessageRow::takeLast() {
  text_->say(shown_.text.isEmpty() ? QString() : sign_of(shown_.weight) + shown_.text, colour());
  offer_->setText(shown_.offer);
  offer_->setVisible(!shown_.offer.isEmpty());
  seen_->setVisible(!shown_.text.isEmpty());
  history_->setVisible(!said_.empty());
  history_->setText(tr("%1 ▾").arg(said_.size()));
  history_->setAccessibleName(tr("The last %n messages", nullptr, static_cast<int>(said_.size())));
  history_->setToolTip(tr("The last messages"));
}

QString MessageRow::history() const {
  QStringList out;
  for (const Said& one : said_)
    out << one.time + QStringLiteral("  ") + sign_of(one.message.weight) + one.message.text;
  return out.join(QLatin1Char('\n'));
}

void MessageRow::showHistory() {
  if (said_.empty()) return;
  auto* list = new QFrame(this, Qt::Popup);
  list->setAttribute(Qt::WA_DeleteOnClose);
  list->setObjectName(QStringLiteral("messages"));
  list->setFrameShape(QFrame::Box);
  auto* column = new QVBoxLayout(list);
  column->setContentsMargins(1, 1, 1, 1);
  auto* text = new QPlainTextEdit(history(), list);
  text->setReadOnly(true);
  text->setFrameShape(QFrame::NoFrame);
  text->setAccessibleName(tr("The last messages"));
  column->addWidget(text);
  const int width = std::min(760, window()->width() - 40);
  const QFontMetrics metrics(text->font());
  int lines = 1;
  for (const Said& one : said_)
    lines += 1 + metrics.horizontalAdvance(one.message.text) / std::max(1, width - 90);
  list->resize(width, std::min(lines * metrics.lineSpacing() + 16, window()->height() / 2));
  list->move(mapToGlobal(QPoint(16, -list->height())));
  list->show();
  text->setFocus();
}

void MessageRow::changeEvent(QEvent* event) {
  if (event->type() == QEvent::PaletteChange) takeLast();
  QWidget::changeEvent(event);
}

}  // namespace kuvio::app
