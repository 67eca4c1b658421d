// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/style/pixels.h"

#include <QAbstractItemModel>
#include <QHeaderView>
#include <QStyledItemDelegate>
#include <QTableView>

#include <vector>

namespace kuvio::app {

/// Roles that the notebook's tables understand beside Qt's own. Models of one delegate share them.
enum NotebookRole {
  RawRole = Qt::UserRole,  ///< the plain number in SI units
  StateRole,               ///< the state a row is about
  ShareRole,               ///< a share to be drawn as a bar, with the text beside it
  FillRole,                ///< brush of a swatch or bar
  SeenRole,         ///< with a bar: the share that is filled, of what is seen; the rest is outlined
  LitRole,          ///< the row belongs to what is picked
  LeadRole,         ///< a bold row such as a total
  UncertaintyRole,  ///< of the plain number, at 95 %, in its unit
  UnitRole,         ///< of a column's plain numbers, as header data; "" for a plain count or share
};

/// Paints tables in the notebook's manner: swatches, bars, figures with fixed digits, rulings
/// instead of frames.
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
  QSize sizeHint() const override { return {QHeaderView::sizeHint().width(), Px{26}}; }
};

/// A table view in the notebook's manner. Ctrl+C and the context menu copy the whole table, or what
/// is picked of it, as tab-separated text.
class NotebookTable : public QTableView {
  Q_OBJECT
public:
  NotebookTable(const QString& name, const QString& accessible_name, int row_height,
                QWidget* parent = nullptr);
  /// Titles and rows, a tab between columns.
  QString asText() const;
  void copy() const;
  /// The same for a spreadsheet: plain numbers in base units, each uncertainty in a column beside,
  /// the unit in the title.
  QString asNumbers() const;
  /// Makes every column as wide as its widest text, but for the one that takes what is left. Where
  /// there is no room for all, those of `first_to_go` give way, in that order.
  void fitColumns(const std::vector<int>& first_to_go = {});
  /// Columns that the user does not want; chosen in the titles' menu.
  QList<int> unwanted() const { return unwanted_; }
  void setUnwanted(const QList<int>& columns);

protected:
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void paintEvent(QPaintEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  void chooseColumns(const QPoint& at);
  /// What stands in a column needs; `bare`: without its uncertainties.
  int widthOf(int column, bool bare = false) const;
  std::vector<int> first_to_go_;
  bool fits_ = false;  // its columns are fitted
  QList<int> unwanted_;
};

}  // namespace kuvio::app
