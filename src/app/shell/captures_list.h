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
  /// By which condition ("build", "board", …) captures stand together under a heading; "" in the
  /// order they were made. By build, headings stand only where one has several captures.
  void setGrouping(const QString& by);
  const QString& grouping() const { return grouping_; }
  /// Those alone whose name, build or a condition contains a text.
  void setFilter(const QString& text);
  bool isHeading(int index) const;
  /// Whether it stands under the heading of its build.
  bool isUnderBuild(int index) const;
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
  struct Entry {
    int row = -1;  ///< among the book's; -1: a heading
    QString heading;
    bool operator==(const Entry&) const = default;
  };
  std::vector<Entry> arranged() const;
  void arrange();
  QString headingText(int index) const;

  BookViewPtr book_;
  QString grouping_ = QStringLiteral("build"), filter_;
  std::vector<Entry> entries_;
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
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  /// A line a capture instead of a card.
  void setCompact(bool compact) { compact_ = compact; }
  bool isCompact() const { return compact_; }

private:
  void paintHeading(QPainter* painter, const QRect& box, const QString& text) const;
  bool compact_ = false;
};

}  // namespace kuvio::app
