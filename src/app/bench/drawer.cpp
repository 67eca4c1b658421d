// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/drawer.h"

#include "app/style/pixels.h"

#include <QHBoxLayout>

namespace kuvio::app {
namespace {
constexpr int kMostRows = 9;
}

DrawerPage::DrawerPage(const QString& name, const QString& title, BenchControl& bench,
                       QWidget* parent)
    : QWidget(parent), bench_(bench), title_(title) {
  setObjectName(name);
  setAccessibleName(title);
  auto* columns = beside_or_below(this);
  columns->setContentsMargins(0, 0, 0, 0);
  columns->setSpacing(is_cramped() ? 4 : 24);
  for (Column& column : columns_) {
    column.grid = new QGridLayout;
    column.grid->setHorizontalSpacing(10);
    column.grid->setVerticalSpacing(4);
    column.grid->setColumnStretch(1, 1);
    column.grid->setRowStretch(kMostRows, 1);
    columns->addLayout(column.grid, 1);
  }
}

void DrawerPage::add(int column, const QString& name, QWidget* field) {
  if (!first_ && field->focusPolicy() != Qt::NoFocus) first_ = field;
  Column& in = columns_[static_cast<std::size_t>(column)];
  const int row = in.rows++;
  if (name.isNull()) {
    in.grid->addWidget(field, row, 0, 1, 2);
    return;
  }
  QLabel* label = remark(name, this);
  label->setWordWrap(false);
  label->setBuddy(field);
  in.grid->addWidget(label, row, 0);
  in.grid->addWidget(field, row, 1);
  names_[field] = label;
}

void DrawerPage::addRow(int column, const QString& name, const QList<QWidget*>& fields) {
  auto* box = new QWidget(this);
  auto* row = new QHBoxLayout(box);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  for (QWidget* f : fields) row->addWidget(f, qobject_cast<QLineEdit*>(f) ? 1 : 0);
  bool lines = false;
  for (QWidget* f : fields) lines |= qobject_cast<QLineEdit*>(f) != nullptr;
  if (!lines) row->addStretch(1);
  if (!first_ && !fields.isEmpty()) first_ = fields.front();
  add(column, name, box);
}

void DrawerPage::setRowShown(QWidget* field, bool shown) {
  QWidget* in_grid = field->parentWidget() == this ? field : field->parentWidget();
  in_grid->setVisible(shown);
  if (const auto it = names_.find(in_grid); it != names_.end()) it->second->setVisible(shown);
}

QLineEdit* DrawerPage::line(const QString& name, const QString& accessible,
                            const QString& example) {
  auto* out = new QLineEdit(this);
  out->setObjectName(name);
  out->setAccessibleName(accessible);
  out->setPlaceholderText(example);
  return out;
}

}  // namespace kuvio::app
