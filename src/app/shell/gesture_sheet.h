// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"

#include <QDialog>
#include <QSortFilterProxyModel>
#include <QStandardItemModel>

class QLineEdit;

namespace kuvio::app {

class NotebookTable;

/// What hand and keys do, on one sheet: gestures by place, then every action with its keys, taken
/// from the actions themselves. A line filters it.
class GestureSheet : public QDialog {
  Q_OBJECT
public:
  GestureSheet(const Actions& actions, QWidget* parent);
  /// Rows that the filter leaves, headings aside.
  int found() const;

private:
  void addHeading(const QString& text);
  void addRow(const QString& what, const QString& does);
  void fill(const Actions& actions);

  QStandardItemModel* model_;
  QSortFilterProxyModel* found_;
  NotebookTable* table_;
  QLineEdit* line_;
};

}  // namespace kuvio::app
