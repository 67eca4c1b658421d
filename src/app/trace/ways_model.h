// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/notebook_table.h"
#include "core/transitions.h"

#include <QAbstractTableModel>

#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

/// What followed what, a row a pair of states: how often here, how often in the reference, and what
/// is to be said of it.
class WaysModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { From, To, Here, There, Stay, Remark, Columns };
  using QAbstractTableModel::QAbstractTableModel;

  struct Row {
    std::string from, to;
    const Transition* here = nullptr;
    std::optional<WayDifference> beside;  ///< nothing without a reference
    std::size_t exits = 0;
  };
  /// `reference` null: there is none to hold it against.
  void setWays(const Transitions& here, const WaysViewPtr& reference, const Fills& fills);
  const std::vector<Row>& rows() const { return rows_; }
  int rowOf(const std::string& from, const std::string& to) const;
  const Transitions& here() const { return here_; }
  const WayComparison& ways() const { return ways_; }

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
  QString text(const Row& row, int column) const;
  Transitions here_;
  WayComparison ways_;
  std::string reference_;
  Fills fills_;
  std::vector<Row> rows_;
};

}  // namespace kuvio::app
