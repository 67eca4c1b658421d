// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/captures_list.h"

#include "app/engine/book_view.h"
#include "app/style/theme.h"
#include "app/style/trace_sketch.h"
#include "app/style/verdict_text.h"
#include "core/number_text.h"
#include "core/visit.h"

#include <QDateTime>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace kuvio::app {
namespace {
constexpr qsizetype kTipLines = 20, kTipWidth = 80;  // conditions come from anywhere
}

void CapturesModel::setBook(const BookViewPtr& book) {
  // The same captures: their figures are new and nothing is picked anew.
  bool same = book_ && book && book_->path == book->path && book_->rows.size() == book->rows.size();
  for (std::size_t i = 0; same && i < book->rows.size(); ++i)
    same = book->rows[i].info.id == book_->rows[i].info.id;
  if (same) {
    book_ = book;
    if (rowCount() > 0) emit dataChanged(index(0), index(rowCount() - 1));
    return;
  }
  beginResetModel();
  book_ = book;
  endResetModel();
}

Qt::ItemFlags CapturesModel::flags(const QModelIndex& index) const {
  return QAbstractListModel::flags(index) |
         (index.isValid() ? Qt::ItemIsUserCheckable : Qt::NoItemFlags);
}

bool CapturesModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  const CaptureRow* r = row(index.row());
  if (!index.isValid() || !r || role != Qt::CheckStateRole) return false;
  if (value.toInt() == Qt::Checked) {
    ticks_.insert(r->info.id);
  } else {
    ticks_.erase(r->info.id);
  }
  emit dataChanged(index, index, {Qt::CheckStateRole});
  emit ticksChanged();
  return true;
}

void CapturesModel::setTicks(const std::set<qint64>& ticks) {
  ticks_ = ticks;
  if (rowCount() > 0) emit dataChanged(index(0), index(rowCount() - 1), {Qt::CheckStateRole});
}

void CapturesModel::setVerdicts(std::map<std::string, Verdict> verdicts) {
  verdicts_ = std::move(verdicts);
  if (rowCount() > 0) emit dataChanged(index(0), index(rowCount() - 1));
}

bool CapturesModel::isReference(int index) const {
  const CaptureRow* r = row(index);
  return r && book_->builds.size() > 1 && r->info.build == book_->reference();
}

std::optional<Verdict> CapturesModel::verdict(int index) const {
  const CaptureRow* r = row(index);
  const auto it = r ? verdicts_.find(r->info.build) : verdicts_.end();
  return it == verdicts_.end() ? std::nullopt : std::optional(it->second);
}

int CapturesModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !book_ ? 0 : static_cast<int>(book_->rows.size());
}

const CaptureRow* CapturesModel::row(int index) const {
  return book_ && index >= 0 && index < rowCount() ? &book_->rows[static_cast<std::size_t>(index)]
                                                   : nullptr;
}

int CapturesModel::rowOf(qint64 id) const {
  for (int i = 0; i < rowCount(); ++i) {
    if (row(i)->info.id == id) return i;
  }
  return -1;
}

QVariant CapturesModel::data(const QModelIndex& index, int role) const {
  const CaptureRow* r = row(index.row());
  if (!index.isValid() || !r) return {};
  const QString name = QString::fromStdString(r->info.name),
                build = QString::fromStdString(r->info.build);
  switch (role) {
    case Qt::DisplayRole:
      return name;
    case Qt::AccessibleTextRole:
      return QStringLiteral("%1, %2, %3%4")
          .arg(name, build, QString::fromStdString(duration(r->info.duration_s())),
               r->info.interrupted ? tr(", interrupted") : QString());
    case Qt::ToolTipRole: {
      QStringList lines;
      for (const auto& [key, value] : r->info.conditions) {
        if (lines.size() == kTipLines) {
          lines << tr("and %1 more").arg(r->info.conditions.size() - kTipLines);
          break;
        }
        lines << QStringLiteral("%1: %2").arg(QString::fromStdString(key).left(kTipWidth),
                                              QString::fromStdString(value).left(kTipWidth));
      }
      if (!r->info.end_reason.empty())
        lines << tr("ended: %1").arg(QString::fromStdString(r->info.end_reason));
      return lines.join(QLatin1Char('\n'));
    }
    case Qt::CheckStateRole:
      return ticks_.count(r->info.id) > 0 ? Qt::Checked : Qt::Unchecked;
    case IdRole:
      return static_cast<qlonglong>(r->info.id);
    case InkRole:
      return static_cast<int>(r->ink);
    default:
      return {};
  }
}

namespace {

void paint_tick(QPainter& painter, const QRectF& tick, const QColor& ink, bool ticked) {
  const Theme& t = Theme::current();
  painter.setPen(QPen(ticked ? ink : t.border(), 1.2));
  painter.setBrush(ticked ? QBrush(ink) : QBrush(t.ground()));
  painter.drawRoundedRect(tick, 3, 3);
  if (ticked) {
    painter.setPen(QPen(t.ground(), 1.8));
    painter.drawPolyline(
        QPolygonF({tick.topLeft() + QPointF(3, 7.2), tick.topLeft() + QPointF(5.8, 10),
                   tick.topLeft() + QPointF(10.5, 4)}));
  }
}

/// The states of a capture, in a strip.
void paint_states(QPainter& painter, const QPointF& at, double wide, const CaptureRow& row) {
  const double from = row.info.from_s(), whole = row.info.duration_s();
  if (whole > 0) {
    // Every one is seen, as far as a part of a pixel can be; of hundreds of thousands, some.
    constexpr std::size_t kMany = 5000;
    const double apart = row.visits.size() > kMany ? 0.05 : 0;
    double last = -1;
    for (const Visit& v : row.visits) {
      const QRectF stretch(at.x() + (v.from_s - from) / whole * wide, at.y(),
                           std::max(0.6, v.length_s() / whole * wide), 5);
      if (stretch.left() < last + apart) continue;
      last = stretch.left();
      painter.fillRect(stretch, Theme::current().fill(v.state, row.fills));
    }
  }
}

QString when(const CaptureRow& row) {
  if (row.info.recording) return QObject::tr("● recording");
  if (row.info.interrupted) return QObject::tr("interrupted");
  return QDateTime::fromString(QString::fromStdString(row.info.started_utc), Qt::ISODateWithMs)
      .toLocalTime()
      .toString(QStringLiteral("HH:mm"));
}

}  // namespace

void CaptureDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                            const QModelIndex& index) const {
  const auto* model = qobject_cast<const CapturesModel*>(index.model());
  const CaptureRow* row = model ? model->row(index.row()) : nullptr;
  if (!row) return;
  const Theme& t = Theme::current();
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  const QRectF box = QRectF(option.rect).adjusted(8, 4, -8, -4);
  if (option.state & QStyle::State_Selected) {
    painter->setPen(Qt::NoPen);
    painter->setBrush(t.wash());
    painter->drawRoundedRect(box, 5, 5);
  }
  if (option.state & QStyle::State_HasFocus) {
    painter->setPen(QPen(t.focus(), 1.5));
    painter->setBrush(Qt::NoBrush);
    painter->drawRoundedRect(box.adjusted(0.75, 0.75, -0.75, -0.75), 5, 5);
  }
  const QRectF in = box.adjusted(10, 8, -10, -6);
  const QColor ink = t.ink(row->ink);
  const bool ticked = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
  const QRectF tick = tickRect(option.rect);
  paint_tick(*painter, tick, ink, ticked);
  const double text_left = tick.right() + 8;
  double right = in.right();
  const auto sign = [&](const QString& text, const QColor& color, QFont::Weight weight) {
    painter->setFont(Theme::baseFont(12, weight));
    painter->setPen(color);
    const double wide = QFontMetricsF(painter->font()).horizontalAdvance(text);
    painter->drawText(QRectF(right - wide, in.top(), wide, 16), Qt::AlignCenter, text);
    right -= wide + 8;
  };
  if (const auto verdict = model->verdict(index.row())) {
    sign(verdict_text(*verdict).left(1), *verdict == Verdict::outside ? t.accent() : t.muted(),
         QFont::DemiBold);
  }
  if (model->isReference(index.row())) sign(QStringLiteral("R"), t.text(), QFont::Bold);
  painter->setFont(Theme::baseFont(13, QFont::DemiBold));
  painter->setPen(t.text());
  const QString name = QString::fromStdString(row->info.name);
  painter->drawText(QRectF(text_left, in.top(), right - text_left, 16),
                    Qt::AlignLeft | Qt::AlignVCenter,
                    QFontMetrics(painter->font())
                        .elidedText(name, Qt::ElideRight, static_cast<int>(right - text_left)));
  paint_sketch(*painter, QRectF(in.left(), in.top() + 22, in.width(), 28), row->thumbnail, ink);
  paint_states(*painter, {in.left(), in.top() + 54}, in.width(), *row);
  painter->setFont(Theme::baseFont(11));
  const bool marked = row->info.recording || row->info.interrupted;
  painter->setPen(marked ? t.accent() : t.muted());
  painter->drawText(QRectF(in.left(), in.top() + 63, in.width(), 16),
                    Qt::AlignLeft | Qt::AlignVCenter,
                    QStringLiteral("%1 · %2").arg(
                        when(*row), QString::fromStdString(duration(row->info.duration_s()))));
  painter->restore();
}

QRectF CaptureDelegate::tickRect(const QRect& item) {
  return {item.left() + 18.0, item.top() + 13.0, 14, 14};
}

bool CaptureDelegate::editorEvent(QEvent* event, QAbstractItemModel* model,
                                  const QStyleOptionViewItem& option, const QModelIndex& index) {
  const auto toggle = [&] {
    const bool ticked = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
    return model->setData(index, ticked ? Qt::Unchecked : Qt::Checked, Qt::CheckStateRole);
  };
  if (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseButtonRelease ||
      event->type() == QEvent::MouseButtonDblClick) {
    const auto* mouse = static_cast<QMouseEvent*>(event);
    if (mouse->button() != Qt::LeftButton ||
        !tickRect(option.rect).adjusted(-6, -6, 6, 6).contains(mouse->position()))
      return false;
    // Taken in both, so that a tick does not pick the row as well.
    return event->type() == QEvent::MouseButtonRelease ? toggle() : true;
  }
  if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Space)
    return toggle();
  return false;
}

}  // namespace kuvio::app
