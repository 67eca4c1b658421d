// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/notebook_table.h"

#include "app/style/theme.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QtMath>

#include <algorithm>

namespace kuvio::app {
namespace {

/// "28.006 ± 0.022 mA": the ± and its digits are smaller, so that the figure itself is read first.
struct UncertainText {
  QString figure, uncertainty, unit;
};
UncertainText parts_of(const QString& text) {
  const auto at = text.indexOf(QChar(0xb1));
  if (at < 1) return {text, {}, {}};
  const auto end = text.lastIndexOf(QChar(0x2009));  // a thin space stands before the unit
  if (end <= at + 1) return {text.left(at), text.mid(at), {}};
  return {text.left(at), text.mid(at, end - at), text.mid(end)};
}
QFont smaller(QFont font) {
  font.setPixelSize(std::max(6, QFontInfo(font).pixelSize() - 2));  // it may be in points
  return font;
}

qreal uncertainWidth(const QFont& font, const QString& text) {
  const UncertainText t = parts_of(text);
  const QFontMetricsF own(font), small(smaller(font));
  return figuresWidth(own, t.figure) + figuresWidth(small, t.uncertainty) +
         figuresWidth(own, t.unit);
}

void paintUncertain(QPainter& painter, QRectF box, const QString& text, const QColor& pale) {
  const UncertainText t = parts_of(text);
  const QFont font = painter.font();
  const QPen pen = painter.pen();
  const QFontMetricsF metrics(font);
  paintFigures(painter, box, t.unit);
  box.setRight(box.right() - figuresWidth(metrics, t.unit));
  if (!t.uncertainty.isEmpty()) {
    painter.setFont(smaller(font));
    painter.setPen(pale);
    // On the same base line.
    const QFontMetricsF small(painter.font());
    const qreal lower =
        ((metrics.ascent() - metrics.descent()) - (small.ascent() - small.descent())) / 2;
    paintFigures(painter, box.translated(0, lower), t.uncertainty);
    box.setRight(box.right() - figuresWidth(small, t.uncertainty));
    painter.setFont(font);
    painter.setPen(pen);
  }
  paintFigures(painter, box, t.figure);
}

}  // namespace

void NotebookDelegate::paint(QPainter* painter, const QStyleOptionViewItem& given,
                             const QModelIndex& index) const {
  QStyleOptionViewItem option = given;
  initStyleOption(&option, index);
  const Theme& t = Theme::current();
  painter->save();
  const bool lit = (option.state & QStyle::State_Selected) || index.data(LitRole).toBool();
  if (lit) painter->fillRect(option.rect, t.wash());
  if (option.state & QStyle::State_HasFocus) {
    painter->setPen(QPen(t.focus(), 1));
    painter->drawRect(QRectF(option.rect).adjusted(0.5, 0.5, -0.5, -0.5));
  }
  QRectF box = QRectF(option.rect).adjusted(8, 0, -8, 0);
  painter->setRenderHint(QPainter::Antialiasing);
  const QVariant fill = index.data(FillRole), share = index.data(ShareRole);
  if (share.isValid()) {
    // Beside its figure where there is room, under it where not.
    const bool beside = box.width() > 110;
    const double room = beside ? box.width() - 48 : box.width();
    const double top = beside ? box.center().y() - 6 : box.bottom() - 4, height = beside ? 12 : 3;
    const auto bar = [&](const QVariant& of) {
      return QRectF(box.left(), top, std::clamp(of.toDouble(), 0.0, 1.0) * room, height);
    };
    const QVariant seen = index.data(SeenRole);
    painter->fillRect(bar(seen.isValid() ? seen : share), fill.value<QBrush>());
    painter->setPen(QPen(t.border(), seen.isValid() ? 1 : 0.6));
    painter->drawRect(bar(share));
  } else if (fill.isValid()) {
    const QRectF swatch(box.left(), box.center().y() - 6, 12, 12);
    painter->setPen(QPen(t.border(), 0.6));
    painter->setBrush(fill.value<QBrush>());
    painter->drawRoundedRect(swatch, 2, 2);
    box.setLeft(box.left() + 20);
  }
  const QVariant color = index.data(Qt::ForegroundRole);
  painter->setPen(color.isValid() ? color.value<QColor>() : t.text());
  painter->setFont(option.font);
  if (option.displayAlignment & Qt::AlignRight) {
    paintUncertain(*painter, box, option.text, color.isValid() ? color.value<QColor>() : t.muted());
  } else {
    painter->drawText(box, Qt::AlignVCenter | Qt::AlignLeft,
                      QFontMetrics(option.font)
                          .elidedText(option.text, Qt::ElideRight, static_cast<int>(box.width())));
  }
  painter->restore();
}

void NotebookHeader::paintSection(QPainter* painter, const QRect& rect, int section) const {
  const Theme& t = Theme::current();
  painter->save();
  painter->fillRect(rect, t.ground());
  painter->setPen(t.rulingTenth());
  painter->drawLine(rect.bottomLeft(), rect.bottomRight());
  painter->setPen(t.muted());
  painter->setFont(Theme::baseFont(11, QFont::DemiBold));
  const int alignment = model()->headerData(section, Qt::Horizontal, Qt::TextAlignmentRole).toInt();
  const QRect box = rect.adjusted(8, 0, -8, 0);
  const QString title =
      QFontMetrics(painter->font())
          .elidedText(model()->headerData(section, Qt::Horizontal, Qt::DisplayRole).toString(),
                      Qt::ElideRight, box.width());
  painter->drawText(box, (alignment ? alignment : int(Qt::AlignLeft)) | Qt::AlignVCenter, title);
  painter->restore();
}

NotebookTable::NotebookTable(const QString& name, const QString& accessible_name, int row_height,
                             QWidget* parent)
    : QTableView(parent) {
  setObjectName(name);
  setAccessibleName(accessible_name);
  setHorizontalHeader(new NotebookHeader(this));
  horizontalHeader()->setAccessibleName(tr("Columns of %1").arg(accessible_name));
  setItemDelegate(new NotebookDelegate(this));
  setFrameShape(QFrame::NoFrame);
  setShowGrid(false);
  setSelectionBehavior(QAbstractItemView::SelectRows);
  setSelectionMode(QAbstractItemView::SingleSelection);
  setEditTriggers(QAbstractItemView::NoEditTriggers);
  setTabKeyNavigation(false);
  setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  setCornerButtonEnabled(false);
  verticalHeader()->hide();
  verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
  verticalHeader()->setDefaultSectionSize(row_height);
  verticalHeader()->setMinimumSectionSize(row_height);
  horizontalHeader()->setHighlightSections(false);
  horizontalHeader()->setFont(Theme::baseFont(11, QFont::DemiBold));
  setMouseTracking(true);
}

QString NotebookTable::asText() const {
  if (!model()) return {};
  QStringList lines, titles;
  for (int c = 0; c < model()->columnCount(); ++c)
    titles << model()->headerData(c, Qt::Horizontal, Qt::DisplayRole).toString();
  lines << titles.join(QLatin1Char('\t'));
  for (int r = 0; r < model()->rowCount(); ++r) {
    QStringList cells;
    for (int c = 0; c < model()->columnCount(); ++c) {
      QString text = model()->index(r, c).data().toString();
      text.replace(QChar(0x2009), QLatin1Char(' '));  // thin spaces are for the eye
      text.replace(QLatin1Char('\t'), QLatin1Char(' '));
      cells << text;
    }
    lines << cells.join(QLatin1Char('\t'));
  }
  return lines.join(QLatin1Char('\n')) + QLatin1Char('\n');
}

void NotebookTable::fitColumns() {
  if (!model()) return;
  constexpr int kRight = 8, kGap = 4, kSwatch = 26;
  for (int c = 0; c < model()->columnCount(); ++c) {
    if (horizontalHeader()->sectionResizeMode(c) == QHeaderView::Stretch) continue;
    const QString title = model()->headerData(c, Qt::Horizontal).toString();
    qreal widest = QFontMetricsF(Theme::baseFont(11, QFont::DemiBold)).horizontalAdvance(title) + 4;
    for (int r = 0; r < model()->rowCount(); ++r) {
      if (columnSpan(r, c) > 1) continue;
      const QModelIndex cell = model()->index(r, c);
      const QVariant font = cell.data(Qt::FontRole);
      const QFont metrics = font.isValid() ? font.value<QFont>() : this->font();
      widest = std::max(widest, uncertainWidth(metrics, cell.data().toString()) +
                                    (cell.data(FillRole).isValid() ? kSwatch : 0));
    }
    setColumnWidth(c, qCeil(widest) + kRight + kGap);
  }
}

void NotebookTable::copy() const { QApplication::clipboard()->setText(asText()); }

void NotebookTable::keyPressEvent(QKeyEvent* event) {
  if (event->matches(QKeySequence::Copy)) {
    copy();
    event->accept();
    return;
  }
  QTableView::keyPressEvent(event);
}

void NotebookTable::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  menu.addActions(actions());
  if (!actions().isEmpty()) menu.addSeparator();
  QAction* copy_all = menu.addAction(tr("Copy table as text (TSV)"));
  copy_all->setShortcut(QKeySequence::Copy);
  connect(copy_all, &QAction::triggered, this, &NotebookTable::copy);
  menu.exec(event->globalPos());
}

}  // namespace kuvio::app
