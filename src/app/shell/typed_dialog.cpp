// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/typed_dialog.h"

#include "app/engine/text.h"
#include "app/shell/capture_dialog.h"
#include "app/style/field_note.h"
#include "app/style/pixels.h"
#include "app/style/widgets.h"
#include "formats/project_text.h"

#include <QCompleter>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

/// Words of a quantity's column, in the order of typed_quantities().
struct ColumnWords {
  const char *title, *example;
};
constexpr ColumnWords kColumns[]{
    {QT_TRANSLATE_NOOP("TypedDialog", "mean current"),
     QT_TRANSLATE_NOOP("TypedDialog", "e.g. 47 mA ± 0.5 mA")},
    {QT_TRANSLATE_NOOP("TypedDialog", "visit length"),
     QT_TRANSLATE_NOOP("TypedDialog", "e.g. 1.7 to 1.9 s")},
    {QT_TRANSLATE_NOOP("TypedDialog", "peak current"),
     QT_TRANSLATE_NOOP("TypedDialog", "e.g. 210 mA")},
    {QT_TRANSLATE_NOOP("TypedDialog", "voltage"), QT_TRANSLATE_NOOP("TypedDialog", "e.g. 3.6 V")}};

/// As somebody would type it.
QString written(const Stated& stated, Dimension dimension) {
  const auto words = [&](double value) {
    return qs(formats::quantity_text(value, dimension))
        .replace(QLatin1String(" u"), QStringLiteral(" µ"));
  };
  QString out = words(stated.value);
  if (!stated.accuracy.stated()) return out;
  QStringList parts;
  if (stated.accuracy.gain > 0)
    parts << QStringLiteral("%1 %").arg(stated.accuracy.gain * 100, 0, 'g', 6);
  if (stated.accuracy.offset > 0) parts << words(stated.accuracy.offset);
  return out + QStringLiteral(" ± ") + parts.join(QStringLiteral(" + ")) +
         (stated.accuracy.expanded ? QStringLiteral(" (k=2)") : QString());
}

}  // namespace

TypedDialog::TypedDialog(TypedReadings from, const QString& name, const QStringList& states,
                         QWidget* parent)
    : QDialog(parent), from_(std::move(from)), states_(states) {
  setObjectName(QStringLiteral("typedDialog"));
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(name.isEmpty() ? tr("Type readings") : tr("Readings of %1").arg(name));
  resize(Px{860}, Px{340});
  auto* column = new QVBoxLayout(this);
  if (name.isEmpty()) {
    auto* form = new QFormLayout;
    build_ = new QLineEdit(qs(from_.build), this);
    build_->setObjectName(QStringLiteral("typedBuild"));
    build_->setAccessibleName(tr("Build under test"));
    build_->setPlaceholderText(tr("e.g. 2.4.0"));
    form->addRow(tr("Build"), build_);
    conditions_ = new QPlainTextEdit(this);
    conditions_->setObjectName(QStringLiteral("typedConditions"));
    conditions_->setAccessibleName(tr("Conditions, one a line"));
    conditions_->setPlaceholderText(tr("e.g. temperature = 23 degC"));
    conditions_->setTabChangesFocus(true);
    conditions_->setMaximumHeight(Px{54});
    form->addRow(tr("Conditions"), conditions_);
    column->addLayout(form);
  }
  table_ = new QGridLayout;
  table_->setHorizontalSpacing(8);
  table_->setVerticalSpacing(4);
  table_->addWidget(heading(tr("STATE"), this), 0, 0);
  for (int i = 0; i < 4; ++i) {
    table_->addWidget(heading(tr(kColumns[i].title).toUpper(), this), 0, i + 1);
    table_->setColumnStretch(i + 1, i < 2 ? 3 : 2);
  }
  table_->setColumnStretch(0, 3);
  column->addLayout(table_);
  column->addStretch(1);
  column->addWidget(remark(tr("Each row is one reading of a visit. Write ± where the meter's "
                              "accuracy is known, or a range; what is empty is not known."),
                           this));
  for (const TypedReading& r : from_.readings) addRow(&r);
  addRow(nullptr);
  while (rows_.size() < 3) addRow(nullptr);
  auto* buttons = new QDialogButtonBox(this);
  auto* keep = buttons->addButton(tr("Keep"), QDialogButtonBox::AcceptRole);
  keep->setObjectName(QStringLiteral("keepTyped"));
  buttons->addButton(tr("Cancel"), QDialogButtonBox::RejectRole);
  column->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &TypedDialog::take);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  rows_[from_.readings.size()].state->setFocus();  // the first that is free
}

void TypedDialog::addRow(const TypedReading* reading) {
  const int at = static_cast<int>(rows_.size()) + 1;
  const auto cell = [&](const QString& name, const QString& accessible, const QString& example,
                        int column) {
    auto* line = new QLineEdit(this);
    line->setObjectName(QStringLiteral("typed_%1_%2").arg(name).arg(at));
    line->setAccessibleName(tr("%1 of reading %2").arg(accessible).arg(at));
    if (at == 1) line->setPlaceholderText(example);
    table_->addWidget(line, at, column);
    connect(line, &QLineEdit::textEdited, this, &TypedDialog::addRowBelow);
    return line;
  };
  Row row;
  row.state = cell(QStringLiteral("state"), tr("State"), tr("e.g. Sleep"), 0);
  auto* names = new QCompleter(states_, row.state);
  names->setCaseSensitivity(Qt::CaseInsensitive);
  row.state->setCompleter(names);
  if (reading) row.state->setText(qs(reading->state));
  const auto quantities = typed_quantities();
  for (std::size_t i = 0; i < quantities.size(); ++i) {
    const TypedQuantity& q = quantities[i];
    QLineEdit* line = cell(QString::fromUtf8(q.key.data()), tr(kColumns[i].title),
                           tr(kColumns[i].example), static_cast<int>(i) + 1);
    if (reading && (reading->*q.value)) {
      line->setText(written(*(reading->*q.value), q.dimension));
      line->setCursorPosition(0);  // where it is too long its beginning is seen
    }
    connect(line, &QLineEdit::editingFinished, this, [this, line, i] {
      TypedReading ignored;
      if (!line->text().trimmed().isEmpty()) readCell(line, i, ignored);
    });
    row.values.push_back(line);
  }
  // From cell to cell, then to the next row.
  if (!rows_.empty()) setTabOrder(rows_.back().values.back(), row.state);
  QWidget* last = row.state;
  for (QLineEdit* line : row.values) {
    setTabOrder(last, line);
    last = line;
  }
  rows_.push_back(std::move(row));
}

void TypedDialog::addRowBelow() {
  constexpr std::size_t kMost = 200;
  if (!isEmpty(rows_.back()) && rows_.size() < kMost) addRow(nullptr);
}

bool TypedDialog::isEmpty(const Row& row) const {
  return row.state->text().trimmed().isEmpty() &&
         std::all_of(row.values.begin(), row.values.end(),
                     [](const QLineEdit* l) { return l->text().trimmed().isEmpty(); });
}

bool TypedDialog::readCell(QLineEdit* cell, std::size_t quantity, TypedReading& out) const {
  const TypedQuantity& q = typed_quantities()[quantity];
  try {
    out.*q.value = parse_stated(cell->text().trimmed().toStdString(), q.dimension);
  } catch (const std::invalid_argument& e) {
    FieldNote::say(cell, QString::fromUtf8(e.what()));
    return false;
  }
  FieldNote::clear(cell);
  return true;
}

bool TypedDialog::read(const Row& row, TypedReading& out) const {
  out.state = row.state->text().trimmed().toStdString();
  for (std::size_t i = 0; i < row.values.size(); ++i) {
    if (row.values[i]->text().trimmed().isEmpty()) continue;
    if (readCell(row.values[i], i, out)) continue;
    row.values[i]->setFocus();
    return false;
  }
  try {
    check_typed(out);
  } catch (const std::invalid_argument& e) {
    row.state->setFocus();
    FieldNote::say(row.state, QString::fromUtf8(e.what()));
    return false;
  }
  return true;
}

void TypedDialog::take() {
  TypedReadings out = from_;
  out.readings.clear();
  for (const Row& row : rows_) {
    if (isEmpty(row)) continue;
    TypedReading reading;
    if (!read(row, reading)) return;
    out.readings.push_back(std::move(reading));
  }
  if (out.readings.empty() && !out.capture) {
    rows_.front().state->setFocus();
    return FieldNote::say(rows_.front().state, tr("Type a state and what was read of it."));
  }
  if (build_) out.build = build_->text().trimmed().toStdString();
  if (conditions_) {
    WrittenConditions written = written_conditions(conditions_->toPlainText());
    if (!written.trouble.isEmpty()) {
      conditions_->setFocus();
      return FieldNote::say(conditions_, written.trouble);
    }
    out.conditions = std::move(written.conditions);
  }
  const bool same = out.capture && out.readings == from_.readings;
  if (!same) emit typed(out);
  accept();
}

}  // namespace kuvio::app
