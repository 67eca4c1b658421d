// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/notebook_table.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QtMath>

#include <algorithm>
#include <vector>

namespace kuvio::app {
namespace {

constexpr Px kMargin{8};     // left and right in a cell; figures may use the left one
constexpr Px kLeastBar{88};  // width of a column with a bar, its figure above it

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

/// What does not fit is not cut: without its uncertainty if that helps, else not at all. A digit
/// that is missing changes the number.
QString fitting(const QFont& font, const QString& text, qreal room) {
  if (uncertainWidth(font, text) <= room) return text;
  const UncertainText t = parts_of(text);
  QString bare = t.figure.trimmed() + t.unit;
  if (!t.uncertainty.isEmpty() && uncertainWidth(font, bare) <= room) return bare;
  return QStringLiteral("…");
}

void paintUncertain(QPainter& painter, QRectF box, const QString& whole, const QColor& pale) {
  const QString text = fitting(painter.font(), whole, box.width() + kMargin);
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
  QRectF box = QRectF(option.rect).adjusted(PxF{8}, 0, -PxF{8}, 0);
  painter->setRenderHint(QPainter::Antialiasing);
  const QVariant fill = index.data(FillRole), share = index.data(ShareRole);
  if (share.isValid()) {
    // Beside its figure where there is room, under it where not.
    const bool beside = box.width() > PxF{84};
    const double room = beside ? box.width() - PxF{48} : box.width();
    const double top = beside ? box.center().y() - PxF{6} : box.bottom() - 4;
    const double height = beside ? PxF{12} : 3;
    const auto bar = [&](const QVariant& of) {
      return QRectF(box.left(), top, std::clamp(of.toDouble(), 0.0, 1.0) * room, height);
    };
    const QVariant seen = index.data(SeenRole);
    painter->fillRect(bar(seen.isValid() ? seen : share), fill.value<QBrush>());
    painter->setPen(QPen(t.border(), seen.isValid() ? 1 : 0.6));
    painter->drawRect(bar(share));
  } else if (fill.isValid()) {
    const QRectF swatch(box.left(), box.center().y() - PxF{6}, PxF{12}, PxF{12});
    painter->setPen(QPen(t.border(), 0.6));
    painter->setBrush(fill.value<QBrush>());
    painter->drawRoundedRect(swatch, 2, 2);
    box.setLeft(box.left() + PxF{20});
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
  const QRect box = rect.adjusted(Px{8}, 0, -Px{8}, 0);
  QString title = model()->headerData(section, Qt::Horizontal, Qt::DisplayRole).toString();
  if (isSortIndicatorShown() && sortIndicatorSection() == section)
    title +=
        sortIndicatorOrder() == Qt::AscendingOrder ? QStringLiteral(" ▴") : QStringLiteral(" ▾");
  title = QFontMetrics(painter->font()).elidedText(title, Qt::ElideRight, box.width());
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
  verticalHeader()->setDefaultSectionSize(Px{row_height});
  verticalHeader()->setMinimumSectionSize(Px{row_height});
  horizontalHeader()->setHighlightSections(false);
  horizontalHeader()->setFont(Theme::baseFont(11, QFont::DemiBold));
  setMouseTracking(true);
  horizontalHeader()->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(horizontalHeader(), &QWidget::customContextMenuRequested, this,
          &NotebookTable::chooseColumns);
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
      text.remove(QChar(0x200c));
      text.replace(QLatin1Char('\t'), QLatin1Char(' '));
      cells << text;
    }
    lines << cells.join(QLatin1Char('\t'));
  }
  return lines.join(QLatin1Char('\n')) + QLatin1Char('\n');
}

QString NotebookTable::asNumbers() const {
  if (!model()) return {};
  QStringList lines, titles;
  std::vector<int> with_u(static_cast<std::size_t>(model()->columnCount()), 0);
  for (int c = 0; c < model()->columnCount(); ++c) {
    const QVariant unit = model()->headerData(c, Qt::Horizontal, UnitRole);
    const QString title = model()->headerData(c, Qt::Horizontal).toString();
    const QString of =
        unit.toString().isEmpty() ? QString() : QStringLiteral("_") + unit.toString();
    titles << title + of;
    for (int r = 0; r < model()->rowCount(); ++r) {
      if (model()->index(r, c).data(UncertaintyRole).isValid())
        with_u[static_cast<std::size_t>(c)] = 1;
    }
    if (with_u[static_cast<std::size_t>(c)]) titles << title + QStringLiteral("_U") + of;
  }
  lines << titles.join(QLatin1Char('\t'));
  const auto plain = [](const QVariant& v) {
    return v.isValid() ? QString::number(v.toDouble(), 'g', 12) : QString();
  };
  for (int r = 0; r < model()->rowCount(); ++r) {
    QStringList cells;
    for (int c = 0; c < model()->columnCount(); ++c) {
      const QModelIndex cell = model()->index(r, c);
      const bool numbers = model()->headerData(c, Qt::Horizontal, UnitRole).isValid();
      QString text = cell.data().toString().replace(QLatin1Char('\t'), QLatin1Char(' '));
      cells << (numbers ? plain(cell.data(RawRole))
                        : text.replace(QChar(0x2009), QLatin1Char(' ')));
      if (with_u[static_cast<std::size_t>(c)]) cells << plain(cell.data(UncertaintyRole));
    }
    lines << cells.join(QLatin1Char('\t'));
  }
  return lines.join(QLatin1Char('\n')) + QLatin1Char('\n');
}

int NotebookTable::widthOf(int c, bool bare) const {
  constexpr Px kRight{8}, kGap{4}, kSwatch{26}, kArrow{10};
  const QString title = model()->headerData(c, Qt::Horizontal).toString();
  qreal widest = QFontMetricsF(Theme::baseFont(11, QFont::DemiBold)).horizontalAdvance(title) + 4;
  if (isSortingEnabled() && horizontalHeader()->sortIndicatorSection() == c) widest += kArrow;
  for (int r = 0; r < model()->rowCount(); ++r) {
    if (columnSpan(r, c) > 1) continue;
    const QModelIndex cell = model()->index(r, c);
    const QVariant font = cell.data(Qt::FontRole);
    const QFont metrics = font.isValid() ? font.value<QFont>() : this->font();
    QString text = cell.data().toString();
    if (bare) {
      const UncertainText parts = parts_of(text);
      text = parts.figure.trimmed() + parts.unit;
    }
    // Words keep both margins; figures may use the left one.
    const bool words = cell.data(Qt::TextAlignmentRole).toInt() & Qt::AlignLeft;
    widest = std::max(widest, uncertainWidth(metrics, text) + (words ? kGap : 0) +
                                  (cell.data(FillRole).isValid() ? kSwatch : 0));
  }
  return qCeil(widest) + kRight + kGap;
}

void NotebookTable::fitColumns(const std::vector<int>& first_to_go) {
  if (!model()) return;
  first_to_go_ = first_to_go;
  fits_ = true;
  const auto gives_way = [&](int c) {
    return std::find(first_to_go_.begin(), first_to_go_.end(), c) != first_to_go_.end();
  };
  int needed = 0;
  std::vector<int> widths;
  for (int c = 0; c < model()->columnCount(); ++c) {
    // What stretches needs what stands in it and a bar that can be seen.
    const bool stretches = horizontalHeader()->sectionResizeMode(c) == QHeaderView::Stretch;
    widths.push_back(stretches ? kLeastBar : widthOf(c));
    if (gives_way(c)) setColumnHidden(c, unwanted_.contains(c));
    if (!isColumnHidden(c)) needed += widths.back();
  }
  for (const int c : first_to_go_) {
    if (needed <= viewport()->width()) break;
    if (isColumnHidden(c)) continue;
    setColumnHidden(c, true);
    needed -= widths[static_cast<std::size_t>(c)];
  }
  // Where that is not enough the uncertainties go, from the right; on hover they are there.
  for (int c = model()->columnCount() - 1; c >= 0 && needed > viewport()->width(); --c) {
    if (isColumnHidden(c) || horizontalHeader()->sectionResizeMode(c) == QHeaderView::Stretch)
      continue;
    int& width = widths[static_cast<std::size_t>(c)];
    const int less = std::min(width, widthOf(c, true));
    needed -= width - less;
    width = less;
  }
  for (int c = 0; c < model()->columnCount(); ++c) {
    if (horizontalHeader()->sectionResizeMode(c) != QHeaderView::Stretch)
      setColumnWidth(c, widths[static_cast<std::size_t>(c)]);
  }
}

void NotebookTable::setUnwanted(const QList<int>& columns) {
  unwanted_ = columns;
  for (int c = 1; model() && c < model()->columnCount(); ++c) {
    // One without a title is hidden by whoever owns the table.
    if (!model()->headerData(c, Qt::Horizontal).toString().isEmpty())
      setColumnHidden(c, columns.contains(c));
  }
  if (fits_) fitColumns(std::vector<int>(first_to_go_));
}

/// Which columns are shown: all of them are in the menu, those that found no room say so.
void NotebookTable::chooseColumns(const QPoint& at) {
  if (!fits_) return;  // its columns are something of their own, as builds are
  QMenu menu(this);
  for (int c = 1; c < model()->columnCount(); ++c) {
    const QString title = model()->headerData(c, Qt::Horizontal).toString();
    if (title.isEmpty()) continue;
    const bool no_room = isColumnHidden(c) && !unwanted_.contains(c);
    QAction* one = menu.addAction(no_room ? tr("%1 (no room)").arg(title) : title);
    one->setCheckable(true);
    one->setChecked(!unwanted_.contains(c));
    connect(one, &QAction::toggled, this, [this, c](bool wanted) {
      QList<int> columns = unwanted_;
      columns.removeAll(c);
      if (!wanted) columns << c;
      setUnwanted(columns);
    });
  }
  menu.exec(horizontalHeader()->mapToGlobal(at));
}

void NotebookTable::resizeEvent(QResizeEvent* event) {
  QTableView::resizeEvent(event);
  if (fits_ && event->size().width() != event->oldSize().width())
    fitColumns(std::vector<int>(first_to_go_));
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

void NotebookTable::paintEvent(QPaintEvent* event) {
  QTableView::paintEvent(event);
  if (!hasFocus()) return;
  QPainter painter(viewport());
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(Theme::current().focus(), 1.5));
  painter.drawRoundedRect(QRectF(viewport()->rect()).adjusted(0.75, 0.75, -0.75, -0.75), 3, 3);
}

void NotebookTable::focusInEvent(QFocusEvent* event) {
  QTableView::focusInEvent(event);
  viewport()->update();
}

void NotebookTable::focusOutEvent(QFocusEvent* event) {
  QTableView::focusOutEvent(event);
  viewport()->update();
}

void NotebookTable::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  menu.addActions(actions());
  if (!actions().isEmpty()) menu.addSeparator();
  QAction* copy_all = menu.addAction(tr("Copy table as text (TSV)"));
  copy_all->setShortcut(QKeySequence::Copy);
  connect(copy_all, &QAction::triggered, this, &NotebookTable::copy);
  connect(menu.addAction(tr("Copy table as numbers (TSV)")), &QAction::triggered, this,
          [this] { QApplication::clipboard()->setText(asNumbers()); });
  menu.exec(event->globalPos());
}

}  // namespace kuvio::app
