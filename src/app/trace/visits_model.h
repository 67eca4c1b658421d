// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/notebook_table.h"
#include "core/number_text.h"
#include "core/visit_survey.h"

#include <QAbstractTableModel>

#include <string>
#include <vector>

namespace kuvio::app {

/// Where a visit's charge lies among those of its state: on a stroke from the least to the most.
struct VisitPlace {
  double at = 0, median = 0;  ///< 0 to 1
  double low = 0, high = 1;   ///< what is usual
  bool odd = false;
};

/// The visits to one state as a table, a row each, those unlike the others told.
class VisitsModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { Begins, Length, Mean, Charge, Place, Peak, Remark, Columns };
  static constexpr int kPlaceRole = 0x200;  ///< a VisitPlace, of the column Place
  using QAbstractTableModel::QAbstractTableModel;

  void setVisits(const CaptureViewPtr& capture, const std::string& state);
  void setUnit(ChargeUnit unit);
  const VisitSurvey& survey() const { return survey_; }
  /// Which of the capture's visits a row is; -1 of none.
  int visitOf(int row) const;
  int rowOf(int visit) const;
  /// What is odd of a visit, by the usual: "charge, length 1.4 ×, peak 1.2 ×"; "" of one like
  /// others.
  QString oddText(std::size_t visit) const;

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  /// Rows by a column's numbers; by Remark those unlike the others come together.
  void sort(int column, Qt::SortOrder order) override;

private:
  void arrange();
  QString text(std::size_t visit, int column) const;
  QVariant raw(std::size_t visit, int column) const;
  QVariant place(std::size_t visit) const;
  const VisitFigures& figures(std::size_t visit) const;
  CaptureViewPtr capture_;
  VisitSurvey survey_;
  std::vector<std::size_t> rows_;
  ChargeUnit unit_ = ChargeUnit::coulomb;
  int sorted_by_ = Begins;
  Qt::SortOrder sorted_ = Qt::AscendingOrder;
};

/// Paints the strokes of VisitPlace beside what the notebook's tables know.
class VisitsDelegate : public NotebookDelegate {
  Q_OBJECT
public:
  using NotebookDelegate::NotebookDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
};

}  // namespace kuvio::app

Q_DECLARE_METATYPE(kuvio::app::VisitPlace)
