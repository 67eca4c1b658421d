// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/foot_bar.h"

#include "app/style/pixels.h"
#include "app/style/widgets.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>

#include <algorithm>

namespace kuvio::app {
namespace {
constexpr Px kInstant{250};
}

FootBar::FootBar(ViewState& view, QWidget* parent)
    : QWidget(parent),
      line_(new FootLine(this)),
      instant_(new FootLine(this)),
      cycles_(button(tr("Whole cycles"), QStringLiteral("wholeCyclesButton"), this)),
      unit_(new QComboBox(this)) {
  // The read-out has a row of its own where there is little room.
  auto* rows = new QVBoxLayout(this);
  rows->setContentsMargins(20, 0, 16, 0);
  rows->setSpacing(0);
  auto* row = new QHBoxLayout;
  row->addWidget(line_, 1);
  rows->addLayout(row);
  auto* second = is_cramped() ? new QHBoxLayout : row;
  if (is_cramped()) {
    rows->addLayout(second);
    second->addStretch(1);
  }
  instant_->setObjectName(QStringLiteral("instant"));
  instant_->setAccessibleName(tr("Under the pointer"));
  instant_->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
  instant_->setFixedWidth(kInstant);
  second->addWidget(instant_);
  cycles_->setCheckable(true);
  cycles_->setFlat(true);
  cycles_->setToolTip(tr("Spans snap to whole cycles of a state (W)"));
  connect(cycles_, &QPushButton::toggled, &view, &ViewState::setWholeCycles);
  connect(&view, &ViewState::wholeCyclesChanged, cycles_,
          [this, &view] { cycles_->setChecked(view.wholeCycles()); });
  second->addWidget(cycles_);
  unit_->setObjectName(QStringLiteral("unit"));
  unit_->setToolTip(tr("Charge or energy, everywhere (Ctrl+E)"));
  unit_->setAccessibleName(tr("Unit for charge or energy"));
  unit_->addItems(
      {QStringLiteral("C"), QStringLiteral("Ah"), QStringLiteral("Wh"), QStringLiteral("J")});
  connect(unit_, &QComboBox::currentTextChanged, this, &FootBar::unitChosen);
  row->addWidget(unit_);
  setFixedHeight(Px{40});
}

void FootBar::setInstant(const QString& text) {
  instant_->setParts(text.isEmpty() ? std::vector<FootPart>{}
                                    : std::vector<FootPart>{{text, tr("Under the pointer.")}});
}

QString FootBar::instant() const { return instant_->text(); }

void FootBar::showCycles(bool shown) {
  cycles_->setVisible(shown);
  if (!is_cramped()) return;
  instant_->setVisible(shown);
  setFixedHeight(shown ? Px{64} : Px{40});
}

int FootBar::setUnit(const QString& symbol) {
  const int index = std::max(0, unit_->findText(symbol));
  if (unit_->currentIndex() != index) unit_->setCurrentIndex(index);
  return index;
}

QString FootBar::unit() const { return unit_->currentText(); }

QString FootBar::nextUnit() const {
  return unit_->itemText((unit_->currentIndex() + 1) % unit_->count());
}

}  // namespace kuvio::app
