// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/log_model.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/trace/time_text.h"
#include "core/number_text.h"

#include <algorithm>

namespace kuvio::app {
void LogModel::setCapture(const CaptureViewPtr& capture) {
  beginResetModel();
  capture_ = capture;
  inside_from_ = 1;
  inside_to_ = 0;
  endResetModel();
}

void LogModel::setInside(double from, double to) {
  inside_from_ = from;
  inside_to_ = to;
  if (rowCount() > 0) emit dataChanged(index(0, 0), index(rowCount() - 1, Columns - 1), {LitRole});
}

int LogModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !capture_ ? 0 : static_cast<int>(capture_->log.size());
}
/// As it stands there: the font draws "0x" as a multiplication sign else.
QString LogModel::literal(QString text) {
  return text.replace(QStringLiteral("0x"), QStringLiteral("0\u200cx"));
}

int LogModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : Columns;
}

QVariant LogModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const book::LogLine& line = capture_->log[static_cast<std::size_t>(index.row())];
  switch (role) {
    case Qt::DisplayRole:
      if (index.column() == Time) return moment_text(line.time_s, 1);
      return (line.sent ? QStringLiteral("→ ") : QString()) + literal(qs(line.text));
    case Qt::TextAlignmentRole:
      return int(index.column() == Time ? Qt::AlignRight | Qt::AlignVCenter
                                        : Qt::AlignLeft | Qt::AlignVCenter);
    case Qt::ForegroundRole:
      if (index.column() == Time) return Theme::current().muted();
      return {};
    case Qt::FontRole:
      return Theme::baseFont(12);
    case Qt::ToolTipRole:
      return index.column() == Text ? QVariant(qs(line.text)) : QVariant();
    case TimeRole:
      return line.time_s;
    case SentRole:
      return line.sent;
    case LitRole:
      return line.time_s >= inside_from_ && line.time_s < inside_to_;
    default:
      return {};
  }
}

QVariant LogModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
  return section == Time ? tr("s") : tr("line");
}

int LogModel::firstAt(double t) const {
  if (!capture_) return 0;
  const auto& log = capture_->log;
  return static_cast<int>(
      std::partition_point(log.begin(), log.end(),
                           [&](const book::LogLine& l) { return l.time_s < t; }) -
      log.begin());
}

}  // namespace kuvio::app
