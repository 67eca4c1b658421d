// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/notebook_table.h"
#include "core/budget.h"

#include <QAbstractTableModel>
#include <QStyledItemDelegate>

namespace kuvio::app {

/// The budget as a table: a row per limit, a column per build.
class LimitsModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { Name, Expect, Bound, FirstBuild };
  using QAbstractTableModel::QAbstractTableModel;
  void setView(BudgetViewPtr view);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  const BudgetViewPtr& view() const { return view_; }
  const Limit* limit(int row) const;
  /// What a build's column shows in a row; null where there is nothing.
  const LimitResult* result(const QModelIndex& index) const;

private:
  BudgetViewPtr view_;
  QStringList builds_;  // as their columns are titled
};

/// A bullet gauge: what was measured with its uncertainty as a whisker, the expectation as a tick,
/// the limit as an edge; the verdict in a word beside it.
class GaugeDelegate : public NotebookDelegate {
  Q_OBJECT
public:
  using NotebookDelegate::NotebookDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
};

}  // namespace kuvio::app
