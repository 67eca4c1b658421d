// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/top_bar.h"

#include "app/engine/bench_control.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "core/number_text.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>

namespace kuvio::app {

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
  return {metrics.horizontalAdvance(text()) + (is_cramped() ? 20 : 24), Px{44}};
}

void DeskButton::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setFont(Theme::baseFont(15, isChecked() ? QFont::DemiBold : QFont::Normal));
  painter.setPen(isChecked() || underMouse() ? t.text() : t.muted());
  painter.drawText(rect(), Qt::AlignCenter, text());
  if (isChecked())
    painter.fillRect(QRectF(PxF{12}, height() - PxF{7}, width() - PxF{24}, 2), t.accent());
  if (hasFocus()) {
    painter.setPen(QPen(t.focus(), 1.5));
    painter.drawRoundedRect(QRectF(rect()).adjusted(3, 6, -3, -4), 4, 4);
  }
}

TopBar::TopBar(Actions& actions, BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("topBar"));
  setFixedHeight(Px{46});
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
  find_ =
      button(is_cramped() ? tr("Find…") : tr("Find…  Ctrl+K"), QStringLiteral("findButton"), this);
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
  QStringList on;
  for (const auto& [name, is_on] : s.output.outputs) {
    if (is_on && !name.empty()) on << qs(name);
  }
  QString text;
  if (s.phase == Phase::ready || s.phase == Phase::recording) {
    text = !s.away.empty() && s.output.has_output ? tr("Output may be on")
           : on.size() > 1 ? tr("Outputs %1 on").arg(on.join(QStringLiteral(", ")))
           : s.output_on   ? tr("Output on %1").arg(qs(with_prefix(volts, "V", 3)))
                           : tr("Output off");
  } else if (s.phase == Phase::lost && s.output.has_output) {
    text = tr("Output may be on");
  }
  const bool ours = s.output.has_output && (s.phase == Phase::none || !text.isEmpty());
  if (!ours) text.clear();
  output_->setText(text);
  QPalette p = output_->palette();
  p.setColor(QPalette::WindowText, s.output_on || s.phase == Phase::lost
                                       ? Theme::current().accent()
                                       : Theme::current().muted());
  output_->setPalette(p);
  // Its place stays from connecting on: greyed where there is nothing to switch, never gone.
  switch_off_->setVisible(!text.isEmpty());
  switch_off_->setEnabled(s.output_on || s.phase == Phase::recording);
  switch_off_->setText(on.size() > 1 ? tr("Switch all off") : tr("Switch off"));
}

}  // namespace kuvio::app
