// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/state_dialogs.h"

#include "app/engine/time_notation.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "core/number_text.h"

#include <QFormLayout>
#include <QVBoxLayout>

#include <cmath>

namespace kuvio::app {
namespace {

QComboBox* stateBox(const QString& name, const QStringList& states, const QString& current,
                    QWidget* parent) {
  auto* out = new QComboBox(parent);
  out->setObjectName(name);
  out->setAccessibleName(QObject::tr("State"));
  out->setEditable(true);
  out->addItems(states);
  out->setCurrentText(current);
  out->lineEdit()->selectAll();
  out->lineEdit()->setAccessibleName(QObject::tr("Name of the state"));
  return out;
}

QHBoxLayout* closing(QDialog* dialog, QPushButton* accept) {
  auto* row = new QHBoxLayout;
  auto* cancel = button(QObject::tr("Cancel"), QStringLiteral("cancel"), dialog);
  QObject::connect(cancel, &QPushButton::clicked, dialog, &QDialog::reject);
  row->addStretch(1);
  row->addWidget(cancel);
  row->addWidget(accept);
  accept->setDefault(true);
  return row;
}

}  // namespace

NameSpanDialog::NameSpanDialog(const QStringList& states, const QString& rule, bool offer_rule,
                               QWidget* parent)
    : QDialog(parent) {
  setObjectName(QStringLiteral("nameSpan"));
  setWindowTitle(tr("Name as state"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* column = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  name_ = stateBox(QStringLiteral("spanState"), states, {}, this);
  form->addRow(tr("State"), name_);
  column->addLayout(form);
  as_rule_ = new QRadioButton(tr("As a rule: %1").arg(rule), this);
  as_rule_->setObjectName(QStringLiteral("asRule"));
  by_hand_ = new QRadioButton(tr("By hand, this span only"), this);
  by_hand_->setObjectName(QStringLiteral("byHand"));
  column->addWidget(as_rule_);
  column->addWidget(by_hand_);
  as_rule_->setEnabled(offer_rule);
  (offer_rule ? as_rule_ : by_hand_)->setChecked(true);
  auto* accept = button(tr("Name state"), QStringLiteral("accept"), this, true);
  column->addSpacing(8);
  column->addLayout(closing(this, accept));
  connect(accept, &QPushButton::clicked, this, [this] {
    const QString state = name_->currentText().trimmed();
    if (state.isEmpty()) {
      name_->setFocus();
      return;
    }
    emit named(state, as_rule_->isChecked());
    close();
  });
  // A state that has a rule already is given by hand: a second rule of its name cannot be.
  connect(name_, &QComboBox::currentTextChanged, this,
          [this, states, offer_rule](const QString& t) {
            const bool known = states.contains(t.trimmed());
            as_rule_->setEnabled(offer_rule && !known);
            if (known) by_hand_->setChecked(true);
            if (!known && offer_rule && !hand_chosen_) as_rule_->setChecked(true);
          });
  connect(by_hand_, &QRadioButton::clicked, this, [this] { hand_chosen_ = true; });
  name_->setFocus();
}

VisitDialog::VisitDialog(const Visit& visit, const QStringList& states, QWidget* parent)
    : QDialog(parent), visit_(visit) {
  setObjectName(QStringLiteral("visitDialog"));
  setWindowTitle(tr("Visit"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* column = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  name_ = stateBox(QStringLiteral("visitState"), states, QString::fromStdString(visit.state), this);
  form->addRow(tr("State"), name_);
  this_visit_ = new QRadioButton(tr("This visit"), this);
  this_visit_->setObjectName(QStringLiteral("thisVisit"));
  this_visit_->setChecked(true);
  whole_state_ =
      new QRadioButton(tr("Every visit to %1").arg(QString::fromStdString(visit.state)), this);
  whole_state_->setObjectName(QStringLiteral("wholeState"));
  form->addRow({}, this_visit_);
  form->addRow({}, whole_state_);
  from_ = new QLineEdit(QString::number(visit.from_s, 'f', 6), this);
  from_->setObjectName(QStringLiteral("visitFrom"));
  from_->setAccessibleName(tr("Start, s"));
  to_ = new QLineEdit(QString::number(visit.to_s, 'f', 6), this);
  to_->setObjectName(QStringLiteral("visitTo"));
  to_->setAccessibleName(tr("End, s"));
  form->addRow(tr("Start (s)"), from_);
  form->addRow(tr("End (s)"), to_);
  column->addLayout(form);
  trouble_ = remark({}, this);
  trouble_->hide();
  column->addWidget(trouble_);
  auto* accept = button(tr("Apply"), QStringLiteral("accept"), this, true);
  column->addSpacing(8);
  column->addLayout(closing(this, accept));
  connect(accept, &QPushButton::clicked, this, &VisitDialog::take);
  name_->setFocus();
}

void VisitDialog::take() {
  bool from_good = false, to_good = false;
  const double from = from_->text().toDouble(&from_good), to = to_->text().toDouble(&to_good);
  if (!from_good || !to_good || !(to > from)) {
    trouble_->setText(tr("Start and end must be times in seconds, the end after the start."));
    trouble_->show();
    return;
  }
  const QString state = name_->currentText().trimmed();
  if (!state.isEmpty() && state != QString::fromStdString(visit_.state))
    emit renamed(state, whole_state_->isChecked());
  if (std::abs(from - visit_.from_s) > 5e-7) emit edgeMoved(false, from);
  if (std::abs(to - visit_.to_s) > 5e-7) emit edgeMoved(true, to);
  close();
}

EditsDialog::EditsDialog(const CaptureView& capture, QWidget* parent)
    : QDialog(parent), list_(new QListWidget(this)) {
  setObjectName(QStringLiteral("editsDialog"));
  setWindowTitle(tr("Manual edits"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(520, 320);
  auto* column = new QVBoxLayout(this);
  column->addWidget(
      remark(tr("Manual edits are applied on top of the recipe and survive a re-run."), this));
  list_->setObjectName(QStringLiteral("edits"));
  list_->setAccessibleName(tr("Manual edits, in the order they were made"));
  take(capture);
  column->addWidget(list_, 1);
  auto* row = new QHBoxLayout;
  auto* all = button(tr("Remove all"), QStringLiteral("dropAll"), this);
  auto* one = button(tr("Remove"), QStringLiteral("dropOne"), this, true);
  auto* leave = button(tr("Close"), QStringLiteral("cancel"), this);
  row->addWidget(all);
  row->addStretch(1);
  row->addWidget(leave);
  row->addWidget(one);
  column->addLayout(row);
  connect(leave, &QPushButton::clicked, this, &QDialog::close);
  connect(all, &QPushButton::clicked, this, [this] {
    emit dropped(-1);
    close();
  });
  connect(one, &QPushButton::clicked, this, [this] {
    if (list_->currentRow() >= 0) emit dropped(list_->currentRow());
    close();
  });
}

void EditsDialog::take(const CaptureView& capture) {
  QStringList texts;
  for (std::size_t i = 0; i < capture.edit_list.size(); ++i) {
    QString text = QString::fromStdString(describe(capture.edit_list[i], exact_time_text));
    for (const Conflict& c : capture.conflicts) {
      if (c.edit == i) text += tr("  · not applied: %1").arg(QString::fromStdString(c.why));
    }
    texts << text;
  }
  if (texts == texts_) return;
  texts_ = texts;
  list_->clear();
  list_->addItems(texts);
  list_->setCurrentRow(0);
  if (texts.isEmpty()) close();
}

}  // namespace kuvio::app
