// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/notebook_table.h"
#include "core/budget.h"
#include "core/ledger.h"
#include "core/number_text.h"
#include "core/verdict.h"
#include "core/visit.h"

#include <QAbstractTableModel>

#include <map>

namespace kuvio::app {

/// What a budget says of a state: the worst of its limits, and all of them in words.
struct StateVerdict {
  Verdict verdict = Verdict::no_data;
  QString text;
};
/// By state, from a build's results.
std::map<std::string, StateVerdict> verdictsByState(const CheckResult& result);

/// The ledger as a table: a row per state, then the whole capture.
class LedgerModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column {
    State,
    Visits,
    Time,
    Mean,
    Charge,
    Share,
    PerVisit,
    Varies,
    Peak,
    Least,
    Verdicts,
    OfAll,  ///< of another current: its share of the main one's charge
    Columns
  };
  using QAbstractTableModel::QAbstractTableModel;

  void setCapture(const CaptureViewPtr& capture);
  /// Accounts for another current in the same visits; null: for the one that was split.
  void setOther(const LedgerViewPtr& other);
  /// Whether another current of that capture is what is shown.
  bool showsOther(std::int64_t capture) const;
  void setUnit(ChargeUnit unit);
  /// What is seen right now: its bars follow every zoom.
  void setSeen(const FramePtr& frame);
  /// Share of the seen charge that a state has; nothing before a frame has reported.
  std::optional<double> seenShare(const std::string& state) const;
  void setVerdicts(std::map<std::string, StateVerdict> verdicts);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  /// Rows by a column's numbers, the whole capture last; by Charge falling they are as made.
  void sort(int column, Qt::SortOrder order) override;
  int rowOf(const std::string& state) const;
  std::string stateOf(int row) const;

private:
  void takeRows();
  const Ledger& ledger() const;
  void arrange();
  QString text(const LedgerRow& row, int column) const;
  QString totalText(int column) const;
  QVariant totalData(int column, int role) const;
  QVariant tip(const LedgerRow& row, int column) const;
  bool isTotal(int row) const;
  double voltage() const;
  CaptureViewPtr capture_;
  LedgerViewPtr other_;
  ChargeUnit unit_ = ChargeUnit::coulomb;
  std::map<std::string, StateVerdict> verdicts_;
  struct Seen {
    double time_share = 0, charge_share = 0;
  };
  std::map<std::string, Seen> seen_;
  double seen_charge_ = 0, seen_s_ = 0;
  std::vector<const LedgerRow*> rows_;  // those with anything in them
  int sorted_by_ = Charge;
  Qt::SortOrder sorted_ = Qt::DescendingOrder;
};

}  // namespace kuvio::app
