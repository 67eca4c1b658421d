// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/book_view.h"

#include <QAbstractListModel>
#include <QListView>
#include <QStyledItemDelegate>

#include <set>

namespace kuvio::app {

/// Captures of the open book, in the order they were made. Those that are ticked are drawn together
/// with the current one.
class CapturesModel : public QAbstractListModel {
  Q_OBJECT
public:
  enum Role { IdRole = Qt::UserRole, InkRole };
  using QAbstractListModel::QAbstractListModel;
  void setBook(const BookViewPtr& book);
  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  void setTicks(const std::set<qint64>& ticks);
  const std::set<qint64>& ticks() const { return ticks_; }
  /// What the budget says of each build.
  void setVerdicts(std::map<std::string, Verdict> verdicts);
  bool isReference(int index) const;
  std::optional<Verdict> verdict(int index) const;
  const CaptureRow* row(int index) const;
  int rowOf(qint64 id) const;

signals:
  void ticksChanged();

private:
  BookViewPtr book_;
  std::set<qint64> ticks_;
  std::map<std::string, Verdict> verdicts_;
};

/// A thumbnail of the trace, its states, length, time and whether it was interrupted.
class CaptureDelegate : public QStyledItemDelegate {
  Q_OBJECT
public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
  bool editorEvent(QEvent* event, QAbstractItemModel* model, const QStyleOptionViewItem& option,
                   const QModelIndex& index) override;
  /// Where the tick is painted in an item's rectangle.
  static QRectF tickRect(const QRect& item);
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {180, 106};
  }
};

}  // namespace kuvio::app
