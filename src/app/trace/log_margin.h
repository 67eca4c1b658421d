// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"
#include "app/style/notebook_table.h"
#include "app/trace/log_model.h"

#include <QLabel>
#include <QLineEdit>
#include <QSortFilterProxyModel>
#include <QToolButton>

#include <optional>
#include <utility>

namespace kuvio::app {

/// Lines that match, and lie in a stretch of time.
class LogFilter : public QSortFilterProxyModel {
  Q_OBJECT
public:
  using QSortFilterProxyModel::QSortFilterProxyModel;
  /// Nothing: whenever they came.
  void setStretch(std::optional<std::pair<double, double>> stretch);

protected:
  bool filterAcceptsRow(int row, const QModelIndex& parent) const override;

private:
  std::optional<std::pair<double, double>> stretch_;
};

/// The device log beside the trace, bound both ways: pointing at a line shows its moment, picking
/// one goes there; a picked visit or a span lights its lines.
class LogMargin : public QWidget {
  Q_OBJECT
public:
  explicit LogMargin(ViewState& view, QWidget* parent = nullptr);
  NotebookTable* table() { return table_; }
  void focusFilter();

  /// Gives the times room, after they or the notation have changed.
  void fitTimes();

signals:
  /// "Make this a state edge": the picked visit's nearer edge goes to a line's moment.
  void edgeWanted(double t);
  /// From the filter: the next match (+1), or the one before (-1).
  void matchWanted(int direction);
  /// The keyboard leaves the filter.
  void left();

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  QLayout* makeHead();
  QWidget* makeTable();
  void connectParts();
  void takeCapture();
  void follow();
  void followView();
  void pick(const QModelIndex& index);
  void filter();

  ViewState& view_;
  LogModel* model_;
  LogFilter* filtered_;
  QLineEdit* filter_;
  QToolButton *expression_, *in_span_;
  NotebookTable* table_;
  QLabel *empty_, *arrived_;
  QString arrived_text_;
  bool following_ = false;
};

}  // namespace kuvio::app
