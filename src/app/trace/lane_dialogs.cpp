// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/lane_dialogs.h"

#include "app/style/widgets.h"
#include "core/number_text.h"
#include "core/quantity.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>

#include <cmath>
#include <map>
#include <stdexcept>

namespace kuvio::app {
namespace {

/// A dialog of lines with Cancel and a button that does it.
QDialogButtonBox* finish(QDialog* dialog, QFormLayout* form, const QString& act) {
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, dialog);
  auto* button = buttons->addButton(act, QDialogButtonBox::AcceptRole);
  button->setObjectName(QStringLiteral("accept"));
  button->setDefault(true);
  QObject::connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
  form->addRow(buttons);
  return buttons;
}

/// A value as it is typed: with the lane's unit and a prefix, or a bare number.
std::optional<double> value_in(const QString& text, const std::string& unit) {
  bool bare = false;
  const double number = text.trimmed().toDouble(&bare);
  if (bare && std::isfinite(number)) return number;
  static const std::map<std::string, Dimension> kDimensions{{"A", Dimension::current},
                                                            {"V", Dimension::voltage},
                                                            {"C", Dimension::charge},
                                                            {"W", Dimension::power},
                                                            {"Ohm", Dimension::resistance}};
  const auto it = kDimensions.find(unit);
  if (it == kDimensions.end()) return std::nullopt;
  try {
    QString plain = text;
    plain.replace(QChar(0x2212), QLatin1Char('-')).replace(QChar(0x2009), QLatin1Char(' '));
    return parse_quantity(plain.toStdString(), it->second);
  } catch (const std::invalid_argument&) {  // known from the caller
    return std::nullopt;
  }
}

}  // namespace

WindowDialog::WindowDialog(double suggested_s, QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("windowDialog"));
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(tr("Rolling mean"));
  auto* form = new QFormLayout(this);
  auto* window =
      new QuantityEdit(QStringLiteral("window"), tr("Window of the mean"), Dimension::time, this);
  window->setQuantity(suggested_s > 0 ? to_digits(suggested_s, 2) : 1);
  form->addRow(tr("Mean over"), window);
  auto* trouble = remark({}, this);
  form->addRow(trouble);
  auto* buttons = finish(this, form, tr("Add lane"));
  connect(buttons, &QDialogButtonBox::accepted, this, [this, window, trouble] {
    window->commit();
    if (window->isWrong() || !window->quantity() || !(*window->quantity() > 0)) {
      trouble->setText(tr("Enter a time greater than zero, e.g. 100 ms."));
      return;
    }
    emit given(*window->quantity());
    accept();
  });
}

AxisDialog::AxisDialog(double low, double high, const std::string& unit, QWidget* parent)
    : QDialog(parent) {
  setObjectName(QStringLiteral("axisDialog"));
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(tr("Fixed axis"));
  auto* form = new QFormLayout(this);
  const auto number = [this, &unit](const char* name, const QString& accessible, double value) {
    auto* edit = new QLineEdit(this);
    edit->setObjectName(QLatin1String(name));
    edit->setAccessibleName(accessible);
    edit->setText(QString::fromStdString(with_prefix(value, unit, 3)));
    return edit;
  };
  auto* foot = number("axisLow", tr("Lowest value"), low);
  auto* top = number("axisHigh", tr("Highest value"), high);
  form->addRow(tr("From"), foot);
  form->addRow(tr("to"), top);
  auto* trouble = remark({}, this);
  form->addRow(trouble);
  auto* buttons = finish(this, form, tr("Fix axis"));
  connect(buttons, &QDialogButtonBox::accepted, this, [this, foot, top, trouble, unit] {
    const auto a = value_in(foot->text(), unit), b = value_in(top->text(), unit);
    if (!a || !b || !(*b > *a)) {
      trouble->setText(tr("Enter two values with units, the second larger than the first."));
      return;
    }
    emit given(*a, *b);
    accept();
  });
}

}  // namespace kuvio::app
