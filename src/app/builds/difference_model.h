// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/notebook_table.h"
#include "core/number_text.h"

#include <QAbstractTableModel>

namespace kuvio::app {

/// The difference ledger: a row per state, then the whole.
class DifferenceModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { State, Reference, Candidate, Interval, PerVisit, Bridge, Life, Shown, Columns };
  using QAbstractTableModel::QAbstractTableModel;
  void setView(BuildsViewPtr view);
  void setUnit(ChargeUnit unit);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  int rowOf(const std::string& state) const;

private:
  QString text(std::size_t row, int column) const;
  QString totalText(int column) const;
  BuildsViewPtr view_;
  std::vector<std::size_t> rows_;  // of the comparison that both sides hold
  ChargeUnit unit_ = ChargeUnit::coulomb;
};

}  // namespace kuvio::app
