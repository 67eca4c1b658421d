// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/captures_list.h"

#include "app/overview.h"
#include "app/theme.h"
#include "core/present.h"

#include <QDateTime>
#include <QPainter>

namespace kuvio::app {

void CapturesModel::setBook(const BookViewPtr& book) {
  beginResetModel();
  book_ = book;
  endResetModel();
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
      for (const auto& [key, value] : r->info.conditions)
        lines << QStringLiteral("%1: %2").arg(QString::fromStdString(key),
                                              QString::fromStdString(value));
      if (!r->info.end_reason.empty())
        lines << tr("ended: %1").arg(QString::fromStdString(r->info.end_reason));
      return lines.join(QLatin1Char('\n'));
    }
    case IdRole:
      return static_cast<qlonglong>(r->info.id);
    case InkRole:
      return static_cast<int>(r->ink);
    default:
      return {};
  }
}

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
  painter->setFont(Theme::baseFont(13, QFont::DemiBold));
  painter->setPen(t.text());
  const QString name = QString::fromStdString(row->info.name);
  painter->drawText(QRectF(in.left(), in.top(), in.width() - 70, 16),
                    Qt::AlignLeft | Qt::AlignVCenter,
                    QFontMetrics(painter->font())
                        .elidedText(name, Qt::ElideRight, static_cast<int>(in.width() - 70)));
  if (row->info.recording || row->info.interrupted) {
    painter->setFont(Theme::baseFont(11));
    painter->setPen(t.accent());
    painter->drawText(
        QRectF(in.right() - 70, in.top(), 70, 16), Qt::AlignRight | Qt::AlignVCenter,
        row->info.recording ? QObject::tr("● recording") : QObject::tr("interrupted"));
  }
  paintSketch(*painter, QRectF(in.left(), in.top() + 22, in.width(), 28), row->thumbnail, ink);
  const double from = row->info.from_s(), whole = row->info.duration_s();
  if (whole > 0) {
    for (const Visit& v : row->visits) {
      const QRectF stretch(in.left() + (v.from_s - from) / whole * in.width(), in.top() + 54,
                           std::max(0.6, v.length_s() / whole * in.width()), 5);
      painter->fillRect(stretch, t.fill(v.state, row->fills));
    }
  }
  painter->setFont(Theme::baseFont(11));
  painter->setPen(t.muted());
  const QDateTime started =
      QDateTime::fromString(QString::fromStdString(row->info.started_utc), Qt::ISODateWithMs)
          .toLocalTime();
  painter->drawText(QRectF(in.left(), in.top() + 63, in.width(), 16),
                    Qt::AlignLeft | Qt::AlignVCenter,
                    QStringLiteral("%1 · %2").arg(started.toString(QStringLiteral("HH:mm")),
                                                  QString::fromStdString(duration(whole))));
  painter->restore();
}

}  // namespace kuvio::app
