// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session.h"

#include <QAbstractListModel>
#include <QListView>
#include <QStyledItemDelegate>

namespace kuvio::app {

/// Captures of the open book, in the order they were made.
class CapturesModel : public QAbstractListModel {
  Q_OBJECT
public:
  enum Role { IdRole = Qt::UserRole, InkRole };
  using QAbstractListModel::QAbstractListModel;
  void setBook(const BookViewPtr& book);
  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  const CaptureRow* row(int index) const;
  int rowOf(qint64 id) const;

private:
  BookViewPtr book_;
};

/// A thumbnail of the trace, its states, length, time and whether it was interrupted.
class CaptureDelegate : public QStyledItemDelegate {
  Q_OBJECT
public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {180, 104};
  }
};

}  // namespace kuvio::app
