// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/view_state.h"

#include <QAbstractTableModel>
#include <QHeaderView>
#include <QStyledItemDelegate>
#include <QTableView>

namespace kuvio::app {

/// The ledger as a table: a row per state, then the whole capture.
class LedgerModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { State, Visits, Time, Mean, Charge, Share, PerVisit, Peak, Columns };
  enum Role { RawRole = Qt::UserRole, StateRole, ShareRole, FillRole };
  using QAbstractTableModel::QAbstractTableModel;

  void setCapture(const CaptureViewPtr& capture);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  int rowOf(const std::string& state) const;
  std::string stateOf(int row) const;

private:
  QString text(const LedgerRow& row, int column) const;
  QString totalText(int column) const;
  bool isTotal(int row) const;
  CaptureViewPtr capture_;
  std::vector<const LedgerRow*> rows_;  // those with anything in them
};

/// The device log.
class LogModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { Time, Text, Columns };
  enum Role { TimeRole = Qt::UserRole + 20, SentRole, InsideRole };
  using QAbstractTableModel::QAbstractTableModel;

  void setCapture(const CaptureViewPtr& capture);
  /// Lines inside [from, to] are marked.
  void setInside(double from, double to);
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  /// First line at or after a moment; the number of lines when there is none.
  int firstAt(double t) const;

private:
  CaptureViewPtr capture_;
  double inside_from_ = 1, inside_to_ = 0;
};

/// Paints both tables: swatches, bars, figures with fixed digits, rulings instead of frames.
class NotebookDelegate : public QStyledItemDelegate {
  Q_OBJECT
public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
};

/// Column titles without boxes.
class NotebookHeader : public QHeaderView {
  Q_OBJECT
public:
  explicit NotebookHeader(QWidget* parent = nullptr) : QHeaderView(Qt::Horizontal, parent) {}

protected:
  void paintSection(QPainter* painter, const QRect& rect, int section) const override;
  QSize sizeHint() const override { return {QHeaderView::sizeHint().width(), 26}; }
};

/// A table view in the notebook's manner.
class NotebookTable : public QTableView {
  Q_OBJECT
public:
  NotebookTable(const QString& name, const QString& accessible_name, int row_height,
                QWidget* parent = nullptr);
};

}  // namespace kuvio::app
