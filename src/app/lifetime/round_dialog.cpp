// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/round_dialog.h"

#include <QDialogButtonBox>
#include <QVBoxLayout>

namespace kuvio::app {

RoundDialog::RoundDialog(const QStringList& states, QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("roundDialog"));
  setWindowTitle(tr("Add an activity"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* column = new QVBoxLayout(this);
  column->addWidget(new QLabel(tr("States it goes through"), this));
  states_ = new QListWidget(this);
  states_->setObjectName(QStringLiteral("roundStates"));
  states_->setAccessibleName(tr("States of the activity"));
  for (const QString& state : states) {
    auto* item = new QListWidgetItem(state, states_);
    item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
    item->setCheckState(Qt::Unchecked);
  }
  states_->setCurrentRow(0);
  column->addWidget(states_);
  auto* row = new QHBoxLayout;
  row->addWidget(new QLabel(tr("every"), this));
  interval_ = new QuantityEdit(QStringLiteral("roundInterval"), tr("Interval of the activity"),
                               Dimension::time, this);
  interval_->setPlaceholderText(tr("e.g. 15 min"));
  row->addWidget(interval_, 1);
  column->addLayout(row);
  trouble_ = remark({}, this);
  trouble_->setObjectName(QStringLiteral("roundTrouble"));
  column->addWidget(trouble_);
  auto* buttons = new QDialogButtonBox(this);
  QPushButton* add = buttons->addButton(tr("Add"), QDialogButtonBox::AcceptRole);
  add->setObjectName(QStringLiteral("roundAdd"));
  buttons->addButton(QDialogButtonBox::Cancel);
  connect(buttons, &QDialogButtonBox::accepted, this, &RoundDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &RoundDialog::reject);
  column->addWidget(buttons);
}

void RoundDialog::accept() {
  QStringList chosen;
  for (int i = 0; i < states_->count(); ++i) {
    if (states_->item(i)->checkState() == Qt::Checked) chosen << states_->item(i)->text();
  }
  interval_->commit();
  const auto interval = interval_->quantity();
  if (chosen.isEmpty()) {
    trouble_->setText(tr("Tick at least one state."));
  } else if (!interval || !(*interval > 0)) {
    trouble_->setText(tr("Say how often, such as 15 min."));
    interval_->setFocus();
  } else {
    emit given(chosen, *interval);
    QDialog::accept();
  }
}

}  // namespace kuvio::app
