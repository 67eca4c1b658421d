// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/total_strip.h"

#include "app/style/notebook_table.h"
#include "app/style/theme.h"

#include <QHeaderView>
#include <QHelpEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

namespace kuvio::app {

TotalStrip::TotalStrip(NotebookTable* table, QWidget* parent) : QWidget(parent), table_(table) {
  setObjectName(table->objectName() + QStringLiteral("Total"));
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  const QAbstractItemModel* model = table_->model();
  connect(model, &QAbstractItemModel::modelReset, this, &TotalStrip::take);
  connect(model, &QAbstractItemModel::layoutChanged, this, &TotalStrip::take);
  connect(model, &QAbstractItemModel::rowsInserted, this, &TotalStrip::take);
  connect(model, &QAbstractItemModel::rowsRemoved, this, &TotalStrip::take);
  connect(model, &QAbstractItemModel::dataChanged, this, &TotalStrip::take);
  connect(table_->horizontalHeader(), &QHeaderView::sectionResized, this,
          qOverload<>(&QWidget::update));
  connect(table_->horizontalHeader(), &QHeaderView::geometriesChanged, this,
          qOverload<>(&QWidget::update));
  connect(table_->horizontalScrollBar(), &QScrollBar::valueChanged, this,
          qOverload<>(&QWidget::update));
  take();
}

QSize TotalStrip::sizeHint() const {
  return {table_->sizeHint().width(), table_->verticalHeader()->defaultSectionSize() + 1};
}

QModelIndex TotalStrip::at(int column) const {
  const QAbstractItemModel* model = table_->model();
  return model->index(model->rowCount() - 1, column);
}

/// A cell reaches over the empty ones that follow.
int TotalStrip::after(int column) const {
  int next = column + 1;
  while (next < table_->model()->columnCount() && at(next).data().toString().isEmpty()) ++next;
  return next;
}

QRect TotalStrip::cell(int column) const {
  const int left =
      table_->viewport()->mapTo(table_, QPoint(0, 0)).x() + table_->columnViewportPosition(column);
  int width = 0;
  for (int c = column; c < after(column); ++c)
    width += table_->isColumnHidden(c) ? 0 : table_->columnWidth(c);
  return {left, 1, width, height() - 1};
}

/// The row is not in the table twice.
void TotalStrip::take() {
  const int last = table_->model()->rowCount() - 1;
  for (int row = 0; row <= last; ++row) {
    const bool hidden = row == last;
    if (table_->isRowHidden(row) != hidden) table_->setRowHidden(row, hidden);
  }
  QStringList words;
  for (int column = 0; last >= 0 && column < table_->model()->columnCount(); ++column) {
    if (!table_->isColumnHidden(column)) words << at(column).data().toString();
  }
  words.removeAll(QString());
  setAccessibleName(words.join(QStringLiteral(", ")));
  update();
}

void TotalStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (table_->model()->rowCount() == 0) return;
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.drawLine(0, 0, width(), 0);
  for (int column = 0; column < table_->model()->columnCount(); column = after(column)) {
    if (table_->isColumnHidden(column)) continue;
    QStyleOptionViewItem option;
    option.initFrom(table_);
    option.state &= ~(QStyle::State_HasFocus | QStyle::State_Selected | QStyle::State_MouseOver);
    option.rect = cell(column);
    table_->itemDelegate()->paint(&painter, option, at(column));
  }
}

bool TotalStrip::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  for (int column = 0; column < table_->model()->columnCount(); ++column) {
    if (table_->isColumnHidden(column) || !cell(column).contains(help->pos())) continue;
    QToolTip::showText(help->globalPos(), at(column).data(Qt::ToolTipRole).toString(), this);
    return true;
  }
  QToolTip::hideText();
  return true;
}

}  // namespace kuvio::app
