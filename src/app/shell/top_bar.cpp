// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/top_bar.h"

#include "app/engine/bench_control.h"
#include "app/engine/text.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "core/number_text.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>

#include <cmath>

namespace kuvio::app {
namespace {

QString clock(double s) {
  const auto whole = static_cast<long long>(s);
  return whole >= 3600
             ? QStringLiteral("%1:%2:%3")
                   .arg(whole / 3600)
                   .arg(whole / 60 % 60, 2, 10, QLatin1Char('0'))
                   .arg(whole % 60, 2, 10, QLatin1Char('0'))
             : QStringLiteral("%1:%2").arg(whole / 60).arg(whole % 60, 2, 10, QLatin1Char('0'));
}
}  // namespace

DeskButton::DeskButton(const DeskInfo& desk, QWidget* parent)
    : QPushButton(desk.name(), parent), desk_(desk.id) {
  setObjectName(QStringLiteral("desk") + QLatin1String(desk.key));
  setAccessibleName(tr("%1 desk").arg(desk.name()));
  setCheckable(true);
  setAutoExclusive(true);
  setFocusPolicy(Qt::TabFocus);
  setFlat(true);
}

QSize DeskButton::sizeHint() const {
  const QFontMetrics metrics(Theme::baseFont(15, QFont::DemiBold));
  return {metrics.horizontalAdvance(text()) + 24, 44};
}

void DeskButton::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setFont(Theme::baseFont(15, isChecked() ? QFont::DemiBold : QFont::Normal));
  painter.setPen(isChecked() || underMouse() ? t.text() : t.muted());
  painter.drawText(rect(), Qt::AlignCenter, text());
  if (isChecked()) painter.fillRect(QRectF(12, height() - 7, width() - 24, 2), t.accent());
  if (hasFocus()) {
    painter.setPen(QPen(t.focus(), 1.5));
    painter.drawRoundedRect(QRectF(rect()).adjusted(3, 6, -3, -4), 4, 4);
  }
}

TopBar::TopBar(Actions& actions, BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("topBar"));
  setFixedHeight(46);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(8, 0, 16, 0);
  row->setSpacing(2);
  for (const DeskInfo& desk : all_desks()) {
    auto* b = new DeskButton(desk, this);
    connect(b, &QPushButton::clicked, this, [this, b] { emit deskRequested(b->desk()); });
    desks_.push_back(b);
    row->addWidget(b);
  }
  row->addStretch(1);
  find_ = button(tr("Find…  Ctrl+K"), QStringLiteral("findButton"), this);
  find_->setFlat(true);
  find_->setForegroundRole(QPalette::PlaceholderText);
  connect(find_, &QPushButton::clicked, this, &TopBar::findRequested);
  row->addWidget(find_);
  row->addStretch(1);
  output_ = new QLabel(this);
  output_->setObjectName(QStringLiteral("outputState"));
  row->addWidget(output_);
  switch_off_ = button(tr("Switch off"), QStringLiteral("switchOffButton"), this);
  connect(switch_off_, &QPushButton::clicked, this, [this] { bench_.switchOutput(false); });
  row->addSpacing(8);
  row->addWidget(switch_off_);
  row->addSpacing(8);
  menu_ = button(tr("Menu"), QStringLiteral("menu"), this);
  menu_->setAccessibleName(tr("Menu of all actions"));
  auto* menu = new QMenu(menu_);
  menu->setAccessibleName(tr("Menu of all actions"));
  // Filled when it opens: desks add their actions as they are made.
  connect(menu, &QMenu::aboutToShow, this, [menu, &actions] { actions.fill(menu); });
  menu_->setMenu(menu);
  row->addWidget(menu_);
  connect(&bench_, &BenchControl::changed, this, &TopBar::showOutput);
  showOutput();
}

void TopBar::setDesk(DeskId desk) {
  for (DeskButton* b : desks_) b->setChecked(b->desk() == desk);
}

void TopBar::showOutput() {
  const BenchState& s = bench_.state();
  using Phase = BenchState::Phase;
  const double volts = s.voltage.value_or(s.output.set.empty() ? 0 : s.output.set.front().voltage);
  QString text;
  if (s.phase == Phase::ready || s.phase == Phase::recording) {
    text = !s.away.empty() && s.output.has_output ? tr("Output may be on")
           : s.output_on ? tr("Output on %1").arg(qs(with_prefix(volts, "V", 3)))
                         : tr("Output off");
  } else if (s.phase == Phase::lost) {
    text = tr("Output unknown");
  }
  output_->setText(text);
  QPalette p = output_->palette();
  p.setColor(QPalette::WindowText, s.output_on || s.phase == Phase::lost
                                       ? Theme::current().accent()
                                       : Theme::current().muted());
  output_->setPalette(p);
  switch_off_->setVisible(s.output_on);
}

RecordingStrip::RecordingStrip(BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("recordingStrip"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(20, 2, 16, 2);
  text_ = new QLabel(this);
  text_->setObjectName(QStringLiteral("recordingText"));
  stop_ = button(tr("Stop"), QStringLiteral("stripStop"), this, true);
  stop_->setAccessibleName(tr("Stop the recording"));
  row->addWidget(text_);
  row->addStretch(1);
  row->addWidget(stop_);
  connect(stop_, &QPushButton::clicked, this, [this] { bench_.stop(); });
  connect(&bench_, &BenchControl::changed, this, &RecordingStrip::showState);
  setAutoFillBackground(true);
  showState();
}

void RecordingStrip::showState() {
  const BenchState& s = bench_.state();
  setVisible(bench_.recording());
  if (!bench_.recording()) return;
  QString text = s.armed ? tr("◌ %1 armed · waiting for trigger").arg(qs(s.name))
                         : tr("● Recording %1 · %2").arg(qs(s.name), clock(s.recorded_s));
  if (s.wanted_s > 0 && !s.armed) text += tr(" of %1").arg(clock(s.wanted_s));
  if (s.disk_free)
    text += tr(" · %1 GB free").arg(static_cast<double>(*s.disk_free) / 1e9, 0, 'f', 0);
  if (!s.away.empty()) text += tr(" · link lost, reconnecting");
  stop_->setText(s.away.empty() ? tr("Stop") : tr("End capture"));
  text_->setText(text);
  text_->setToolTip(qs(s.away));
  QPalette p = text_->palette();
  p.setColor(QPalette::WindowText, Theme::current().accent());
  text_->setPalette(p);
}

WorkStrip::WorkStrip(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("workStrip"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  text_ = remark({}, this);
  text_->setWordWrap(false);
  auto* cancel = button(tr("Cancel"), QStringLiteral("cancelWork"), this);
  row->addSpacing(74);
  row->addWidget(text_);
  row->addWidget(cancel);
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
  connect(cancel, &QPushButton::clicked, this, &WorkStrip::cancelled);
  hide();
}

void WorkStrip::setWork(const QString& what) {
  if (what.isEmpty()) {
    delay_.stop();
    beat_.stop();
    hide();
    return;
  }
  text_->setText(what + QStringLiteral("…"));
  setAccessibleName(what);
  if (!isVisible() && !delay_.isActive()) delay_.start();
}

void WorkStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF box(0, height() / 2.0 - 2, 62, 4);
  painter.setPen(Qt::NoPen);
  painter.setBrush(t.ruling());
  painter.drawRoundedRect(box, 2, 2);
  painter.setBrush(t.focus());
  const double at = (std::sin(phase_ / 8.0) + 1) / 2 * (box.width() - 18);
  painter.drawRoundedRect(QRectF(box.left() + at, box.top(), 18, 4), 2, 2);
}

}  // namespace kuvio::app
