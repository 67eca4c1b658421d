// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/budget/limit_dialog.h"

#include "core/quantity.h"

#include <QFormLayout>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

constexpr LimitQuantity kQuantities[] = {
    LimitQuantity::mean_current, LimitQuantity::charge_per_visit, LimitQuantity::visit_length,
    LimitQuantity::peak_current, LimitQuantity::energy_per_visit, LimitQuantity::lifetime};
constexpr Dimension kDimensions[] = {Dimension::current, Dimension::charge, Dimension::time,
                                     Dimension::energy};

int line_of(LimitQuantity quantity) {
  switch (quantity) {
    case LimitQuantity::charge_per_visit:
      return 1;
    case LimitQuantity::visit_length:
    case LimitQuantity::lifetime:
      return 2;
    case LimitQuantity::energy_per_visit:
      return 3;
    default:
      return 0;
  }
}

QString name_of(LimitQuantity quantity) {
  switch (quantity) {
    case LimitQuantity::mean_current:
      return QObject::tr("mean current");
    case LimitQuantity::charge_per_visit:
      return QObject::tr("charge per visit");
    case LimitQuantity::energy_per_visit:
      return QObject::tr("energy per visit");
    case LimitQuantity::visit_length:
      return QObject::tr("length of a visit");
    case LimitQuantity::peak_current:
      return QObject::tr("peak current");
    case LimitQuantity::lifetime:
      return QObject::tr("battery life");
  }
  return {};
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
  scope_ = box(QStringLiteral("limitScope"), tr("Of"));
  for (const QString& s : states) scope_->addItem(s, int(Scope::state));
  scope_->addItem(tr("the whole capture"), int(Scope::whole));
  if (field) scope_->addItem(tr("the field (duty plan)"), int(Scope::field));
  quantity_ = box(QStringLiteral("limitQuantity"), tr("Quantity"));
  of_ = box(QStringLiteral("limitOf"), tr("Over the visits"));
  of_->addItem(tr("their mean"), int(Of::mean));
  of_->addItem(tr("19 of 20 (95th percentile)"), int(Of::p95));
  of_->addItem(tr("the worst"), int(Of::worst));
  auto* expect_row = new QVBoxLayout;
  auto* bound_row = new QVBoxLayout;
  for (int i = 0; i < 4; ++i) {
    expect_[i] = new QuantityEdit(QStringLiteral("limitExpect%1").arg(i), tr("Expected"),
                                  static_cast<int>(kDimensions[i]), this, true);
    bound_[i] = new QuantityEdit(QStringLiteral("limitBound%1").arg(i), tr("Limit"),
                                 static_cast<int>(kDimensions[i]), this);
    expect_row->addWidget(expect_[i]);
    bound_row->addWidget(bound_[i]);
    for (QuantityEdit* edit : {expect_[i], bound_[i]}) {
      connect(edit, &QuantityEdit::wrong, this, [this](const QString& why) {
        trouble_->setText(why);
        trouble_->show();
      });
    }
  }
  form->addRow(tr("Expected"), expect_row);
  bound_label_ = new QLabel(tr("At most"), this);
  form->addRow(bound_label_, bound_row);
  column->addLayout(form);
  trouble_ = remark({}, this);
  trouble_->hide();
  column->addWidget(trouble_);
  auto* row = new QHBoxLayout;
  auto* cancel = button(tr("Leave it"), QStringLiteral("cancel"), this);
  auto* accept = button(tr("Set limit"), QStringLiteral("accept"), this, true);
  accept->setDefault(true);
  row->addStretch(1);
  row->addWidget(cancel);
  row->addWidget(accept);
  column->addLayout(row);
  const auto offer = [this] {
    const auto scope = static_cast<Scope>(scope_->currentData().toInt());
    const int was = quantity_->currentData().toInt();
    quantity_->clear();
    for (const LimitQuantity one : kQuantities) {
      const bool life = one == LimitQuantity::lifetime;
      const bool per_visit = one == LimitQuantity::charge_per_visit ||
                             one == LimitQuantity::visit_length ||
                             one == LimitQuantity::energy_per_visit;
      if (life && scope != Scope::field) continue;
      if (per_visit && scope != Scope::state) continue;
      if (scope == Scope::field && !life && one != LimitQuantity::mean_current) continue;
      quantity_->addItem(name_of(one), int(one));
    }
    quantity_->setCurrentIndex(std::max(0, quantity_->findData(was)));
  };
  connect(scope_, &QComboBox::currentIndexChanged, this, offer);
  connect(quantity_, &QComboBox::currentIndexChanged, this, &LimitDialog::quantityChanged);
  connect(cancel, &QPushButton::clicked, this, &QDialog::close);
  connect(accept, &QPushButton::clicked, this, &LimitDialog::take);
  offer();
  quantityChanged();
}

void LimitDialog::quantityChanged() {
  const auto quantity = static_cast<LimitQuantity>(quantity_->currentData().toInt());
  const int line = line_of(quantity);
  for (int i = 0; i < 4; ++i) {
    expect_[i]->setVisible(i == line);
    bound_[i]->setVisible(i == line);
  }
  const bool life = quantity == LimitQuantity::lifetime;
  bound_label_->setText(life ? tr("At least") : tr("At most"));
  of_->setEnabled(!life && quantity != LimitQuantity::mean_current);
  of_->setCurrentIndex(quantity == LimitQuantity::peak_current ? 2 : 0);
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
  const int line = line_of(limit.quantity);
  expect_[line]->setQuantity(limit.expect);
  bound_[line]->setQuantity(limit.max ? limit.max : limit.min);
  of_->setCurrentIndex(of_->findData(int(limit.of)));
  scope_->setEnabled(!existing);
  quantity_->setEnabled(!existing);
  bound_[line]->setFocus();
  bound_[line]->selectAll();
}

void LimitDialog::take() {
  Limit out = limit_;
  out.scope = static_cast<Scope>(scope_->currentData().toInt());
  out.state = out.scope == Scope::state ? scope_->currentText().toStdString() : "";
  out.quantity = static_cast<LimitQuantity>(quantity_->currentData().toInt());
  out.of = static_cast<Of>(of_->currentData().toInt());
  const int line = line_of(out.quantity);
  bound_[line]->commit();
  expect_[line]->commit();
  const auto bound = bound_[line]->quantity();
  if (!bound || bound_[line]->isWrong() || expect_[line]->isWrong()) {
    trouble_->setText(tr("A limit needs a figure with its unit."));
    trouble_->show();
    bound_[line]->setFocus();
    return;
  }
  out.expect = expect_[line]->quantity();
  out.max.reset();
  out.min.reset();
  (out.quantity == LimitQuantity::lifetime ? out.min : out.max) = bound;
  emit limitAccepted(out);
  close();
}

}  // namespace kuvio::app
