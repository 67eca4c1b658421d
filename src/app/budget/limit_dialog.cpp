// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/budget/limit_dialog.h"

#include "app/engine/text.h"

#include <QFormLayout>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

/// The dimensions that limits have, each once: a pair of fields for each.
std::vector<Dimension> dimensions() {
  std::vector<Dimension> out;
  for (const LimitQuantityInfo& q : limit_quantities()) {
    if (std::find(out.begin(), out.end(), q.dimension) == out.end()) out.push_back(q.dimension);
  }
  return out;
}

}  // namespace

LimitDialog::LimitDialog(const QStringList& states, bool field, QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("limitDialog"));
  setWindowTitle(tr("Limit"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* column = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  const auto box = [&](const QString& name, const QString& text) {
    auto* out = new QComboBox(this);
    out->setObjectName(name);
    out->setAccessibleName(text);
    form->addRow(text, out);
    return out;
  };
  scope_ = box(QStringLiteral("limitScope"), tr("Scope"));
  for (const QString& s : states) scope_->addItem(s, int(Scope::state));
  scope_->addItem(tr("the whole capture"), int(Scope::whole));
  if (field) scope_->addItem(tr("the field (duty plan)"), int(Scope::field));
  quantity_ = box(QStringLiteral("limitQuantity"), tr("Quantity"));
  statistic_ = box(QStringLiteral("limitStatistic"), tr("Across visits"));
  for (const StatisticInfo& one : statistics())
    statistic_->addItem(qs(std::string(one.name)), int(one.id));
  makeBounds(form);
  column->addLayout(form);
  trouble_ = remark({}, this);
  trouble_->hide();
  column->addWidget(trouble_);
  column->addLayout(makeButtons());
  connect(scope_, &QComboBox::currentIndexChanged, this, &LimitDialog::offerQuantities);
  connect(quantity_, &QComboBox::currentIndexChanged, this, &LimitDialog::quantityChanged);
  offerQuantities();
  quantityChanged();
}

void LimitDialog::makeBounds(QFormLayout* form) {
  auto* expect_row = new QVBoxLayout;
  auto* bound_row = new QVBoxLayout;
  for (const Dimension dimension : dimensions()) {
    const auto i = static_cast<int>(fields_.size());
    Fields fields{
        dimension,
        new QuantityEdit(QStringLiteral("limitExpect%1").arg(i), tr("Expected"), dimension, this,
                         true),
        new QuantityEdit(QStringLiteral("limitBound%1").arg(i), tr("Limit"), dimension, this)};
    expect_row->addWidget(fields.expect);
    bound_row->addWidget(fields.bound);
    for (QuantityEdit* edit : {fields.expect, fields.bound}) {
      connect(edit, &QuantityEdit::wrong, this, [this](const QString& why) {
        trouble_->setText(why);
        trouble_->show();
      });
    }
    fields_.push_back(fields);
  }
  form->addRow(tr("Expected"), expect_row);
  bound_label_ = new QLabel(tr("At most"), this);
  form->addRow(bound_label_, bound_row);
}

QLayout* LimitDialog::makeButtons() {
  auto* row = new QHBoxLayout;
  auto* cancel = button(tr("Cancel"), QStringLiteral("cancel"), this);
  auto* accept = button(tr("Set limit"), QStringLiteral("accept"), this, true);
  accept->setDefault(true);
  row->addStretch(1);
  row->addWidget(cancel);
  row->addWidget(accept);
  connect(cancel, &QPushButton::clicked, this, &QDialog::close);
  connect(accept, &QPushButton::clicked, this, &LimitDialog::take);
  return row;
}

void LimitDialog::offerQuantities() {
  const auto scope = static_cast<Scope>(scope_->currentData().toInt());
  const int was = quantity_->currentData().toInt();
  quantity_->clear();
  for (const LimitQuantityInfo& one : limit_quantities()) {
    if (one.fits(scope)) quantity_->addItem(qs(std::string(one.name)), int(one.id));
  }
  quantity_->setCurrentIndex(std::max(0, quantity_->findData(was)));
}

const LimitQuantityInfo& LimitDialog::quantity() const {
  return info(static_cast<LimitQuantity>(quantity_->currentData().toInt()));
}

LimitDialog::Fields& LimitDialog::fields() {
  return *std::find_if(fields_.begin(), fields_.end(),
                       [&](const Fields& f) { return f.dimension == quantity().dimension; });
}

void LimitDialog::quantityChanged() {
  const LimitQuantityInfo& now = quantity();
  for (const Fields& f : fields_) {
    f.expect->setVisible(f.dimension == now.dimension);
    f.bound->setVisible(f.dimension == now.dimension);
  }
  bound_label_->setText(now.at_least ? tr("At least") : tr("At most"));
  statistic_->setEnabled(static_cast<Scope>(scope_->currentData().toInt()) == Scope::state);
  statistic_->setCurrentIndex(statistic_->findData(int(now.usual)));
}

void LimitDialog::setLimit(const Limit& limit, bool existing) {
  limit_ = limit;
  const int scope = limit.scope == Scope::state
                        ? scope_->findText(QString::fromStdString(limit.state))
                        : scope_->findData(int(limit.scope));
  if (scope >= 0) scope_->setCurrentIndex(scope);
  const int quantity = quantity_->findData(int(limit.quantity));
  if (quantity >= 0) quantity_->setCurrentIndex(quantity);
  quantityChanged();
  fields().expect->setQuantity(limit.expect);
  fields().bound->setQuantity(limit.max ? limit.max : limit.min);
  statistic_->setCurrentIndex(statistic_->findData(int(limit.statistic)));
  scope_->setEnabled(!existing);
  quantity_->setEnabled(!existing);
  fields().bound->setFocus();
  fields().bound->selectAll();
}

void LimitDialog::take() {
  Limit out = limit_;
  out.scope = static_cast<Scope>(scope_->currentData().toInt());
  out.state = out.scope == Scope::state ? scope_->currentText().toStdString() : "";
  out.quantity = quantity().id;
  out.statistic = static_cast<Statistic>(statistic_->currentData().toInt());
  const Fields& now = fields();
  now.bound->commit();
  now.expect->commit();
  const auto bound = now.bound->quantity();
  if (!bound || now.bound->isWrong() || now.expect->isWrong()) {
    trouble_->setText(tr("Enter a value with its unit."));
    trouble_->show();
    now.bound->setFocus();
    return;
  }
  out.expect = now.expect->quantity();
  out.max.reset();
  out.min.reset();
  (quantity().at_least ? out.min : out.max) = bound;
  emit limitAccepted(out);
  close();
}

}  // namespace kuvio::app
