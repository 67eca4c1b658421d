// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

namespace kuvio::app {

class NotebookTable;

/// The last row of a table's model, its total, pinned under the table: seen wherever the rows above
/// are scrolled to. It has the table's columns and its hints.
class TotalStrip : public QWidget {
  Q_OBJECT
public:
  /// The table must have its model.
  TotalStrip(NotebookTable* table, QWidget* parent);
  QSize sizeHint() const override;

protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

private:
  QModelIndex at(int column) const;
  int after(int column) const;
  QRect cell(int column) const;
  void take();

  NotebookTable* table_;
};

}  // namespace kuvio::app
