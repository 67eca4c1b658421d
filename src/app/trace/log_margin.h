// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/look/notebook_table.h"
#include "app/trace/log_model.h"
#include "app/work/view_state.h"

#include <QLabel>
#include <QLineEdit>
#include <QSortFilterProxyModel>

namespace kuvio::app {

/// The device log beside the trace, bound both ways: pointing at a line shows its moment, picking
/// one goes there; a picked visit or a span lights its lines.
class LogMargin : public QWidget {
  Q_OBJECT
public:
  explicit LogMargin(ViewState& view, QWidget* parent = nullptr);
  NotebookTable* table() { return table_; }
  void focusFilter();

signals:
  /// "Make this a state edge": the picked visit's nearer edge goes to a line's moment.
  void edgeWanted(double t);

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  void takeCapture();
  void follow();
  void pick(const QModelIndex& index);

  ViewState& view_;
  LogModel* model_;
  QSortFilterProxyModel* filtered_;
  QLineEdit* filter_;
  NotebookTable* table_;
  QLabel *empty_, *arrived_;
  bool following_ = false;
};

}  // namespace kuvio::app
