// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/notebook_table.h"

#include <QAbstractTableModel>

namespace kuvio::app {

/// The device log. Lines inside a stretch of time are lit.
class LogModel : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Column { Time, Text, Columns };
  enum Role { TimeRole = Qt::UserRole + 20, SentRole };
  using QAbstractTableModel::QAbstractTableModel;

  void setCapture(const CaptureViewPtr& capture);
  /// Lines inside [from, to) are lit.
  void setInside(double from, double to);
  int rowCount(const QModelIndex& parent = {}) const override;
  /// A line's text so that it is drawn letter by letter.
  static QString literal(QString text);
  int columnCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  /// First line at or after a moment; the number of lines when there is none.
  int firstAt(double t) const;

private:
  CaptureViewPtr capture_;
  double inside_from_ = 1, inside_to_ = 0;
};

}  // namespace kuvio::app
