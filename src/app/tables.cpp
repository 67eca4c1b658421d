// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tables.h"

#include "app/theme.h"
#include "core/present.h"

#include <QHeaderView>
#include <QPainter>

#include <algorithm>

namespace kuvio::app {
namespace {
QString q(const std::string& text) { return QString::fromStdString(text); }
const QString kNothing = QStringLiteral("–");
}  // namespace

// --- LedgerModel
// -----------------------------------------------------------------------------------

void LedgerModel::setCapture(const CaptureViewPtr& capture) {
  beginResetModel();
  capture_ = capture;
  rows_.clear();
  if (capture && capture->ledger) {
    for (const LedgerRow& row : capture->ledger->rows) {
      if (row.visits > 0) rows_.push_back(&row);
    }
  }
  endResetModel();
}

int LedgerModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || rows_.empty() ? 0 : static_cast<int>(rows_.size()) + 1;
}
int LedgerModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : Columns;
}
bool LedgerModel::isTotal(int row) const { return row == static_cast<int>(rows_.size()); }

QString LedgerModel::text(const LedgerRow& r, int column) const {
  switch (column) {
    case State:
      return q(r.state);
    case Visits:
      return QString::number(r.visits);
    case Time:
      return q(duration(r.time_s));
    case Mean:
      return r.mean ? q(with_uncertainty(*r.mean, r.mean_u.U, "A")) : kNothing;
    case Charge:
      return r.state == kMissing ? kNothing
                                 : (r.lower_bound ? QStringLiteral("≥ ") : QString()) +
                                       q(with_uncertainty(r.charge, r.charge_u.U, "C"));
    case Share:
      return r.state == kMissing ? QString() : q(percent(r.charge_share));
    case PerVisit:
      return r.whole_visits > 0
                 ? q(with_uncertainty(r.charge_per_visit.mean, r.charge_per_visit_u.U, "C"))
                 : kNothing;
    case Peak:
      return r.peak ? q(with_prefix(*r.peak, "A", 3)) : kNothing;
    default:
      return {};
  }
}

QString LedgerModel::totalText(int column) const {
  const Ledger& l = *capture_->ledger;
  switch (column) {
    case State:
      return tr("Whole capture");
    case Time:
      return q(duration(l.time_s));
    case Mean:
      return l.mean ? q(with_uncertainty(*l.mean, l.mean_u.U, "A")) : kNothing;
    case Charge:
      return (l.lower_bound ? QStringLiteral("≥ ") : QString()) +
             q(with_uncertainty(l.charge, l.mean_u.U * l.observed_s(), "C"));
    case PerVisit: {
      const LedgerRow* unassigned = l.find(kUnassigned);
      QStringList parts;
      if (l.missing_s > 0) parts << tr("%1 missing").arg(q(duration(l.missing_s)));
      if (unassigned && unassigned->visits > 0)
        parts << tr("%1 unassigned").arg(q(duration(unassigned->time_s)));
      return parts.isEmpty() ? tr("nothing missing or unassigned")
                             : parts.join(QStringLiteral(", "));
    }
    default:
      return {};
  }
}

QVariant LedgerModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  if (isTotal(index.row())) {
    if (role == Qt::DisplayRole) return totalText(index.column());
    if (role == Qt::FontRole && index.column() != PerVisit)
      return Theme::baseFont(13, QFont::DemiBold);
    if (role == Qt::FontRole) return Theme::baseFont(11);
    if (role == Qt::ForegroundRole && index.column() == PerVisit) return Theme::current().muted();
    if (role == Qt::TextAlignmentRole)
      return int(index.column() == State ? Qt::AlignLeft | Qt::AlignVCenter
                                         : Qt::AlignRight | Qt::AlignVCenter);
    return {};
  }
  const LedgerRow& r = *rows_[static_cast<std::size_t>(index.row())];
  switch (role) {
    case Qt::DisplayRole:
      return text(r, index.column());
    case Qt::TextAlignmentRole:
      return int(index.column() == State ? Qt::AlignLeft | Qt::AlignVCenter
                                         : Qt::AlignRight | Qt::AlignVCenter);
    case StateRole:
      return q(r.state);
    case ShareRole:
      if (index.column() == Share) return r.charge_share;
      return {};
    case FillRole:
      if (index.column() == State || index.column() == Share)
        return Theme::current().fill(r.state, capture_->fills);
      return {};
    case RawRole:
      switch (index.column()) {
        case Visits:
          return static_cast<int>(r.visits);
        case Time:
          return r.time_s;
        case Mean:
          return r.mean ? QVariant(*r.mean) : QVariant();
        case Charge:
          return r.charge;
        case Share:
          return r.charge_share;
        case PerVisit:
          return r.charge_per_visit.mean;
        case Peak:
          return r.peak ? QVariant(*r.peak) : QVariant();
        default:
          return {};
      }
    case Qt::ToolTipRole:
      if (index.column() == PerVisit && r.whole_visits > 0) {
        return tr("%1 whole visits, from %2 to %3, coverage factor %4")
            .arg(r.whole_visits)
            .arg(q(with_prefix(r.charge_per_visit_min, "C", 3)),
                 q(with_prefix(r.charge_per_visit_max, "C", 3)))
            .arg(r.charge_per_visit_u.coverage_factor, 0, 'f', 2);
      }
      if (index.column() == Mean && r.mean)
        return tr("settled %1, coverage factor %2")
            .arg(q(with_prefix(r.settled.value_or(0), "A", 3)))
            .arg(r.mean_u.coverage_factor, 0, 'f', 2);
      return {};
    default:
      return {};
  }
}

QVariant LedgerModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole)
    return int(section == State ? Qt::AlignLeft | Qt::AlignVCenter
                                : Qt::AlignRight | Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  const QStringList names{tr("state"),  tr("visits"), tr("time"),      tr("mean"),
                          tr("charge"), tr("share"),  tr("per visit"), tr("peak")};
  return names.value(section);
}

int LedgerModel::rowOf(const std::string& state) const {
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    if (rows_[i]->state == state) return static_cast<int>(i);
  }
  return -1;
}

std::string LedgerModel::stateOf(int row) const {
  return row >= 0 && row < static_cast<int>(rows_.size())
             ? rows_[static_cast<std::size_t>(row)]->state
             : "";
}

// --- LogModel
// --------------------------------------------------------------------------------------

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
  if (rowCount() > 0)
    emit dataChanged(index(0, 0), index(rowCount() - 1, Columns - 1), {InsideRole});
}

int LogModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !capture_ ? 0 : static_cast<int>(capture_->log.size());
}
int LogModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : Columns;
}

QVariant LogModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const book::LogLine& line = capture_->log[static_cast<std::size_t>(index.row())];
  switch (role) {
    case Qt::DisplayRole:
      if (index.column() == Time) return QString::number(line.time_s, 'f', 3);
      return (line.sent ? QStringLiteral("→ ") : QString()) + q(line.text);
    case Qt::TextAlignmentRole:
      return int(index.column() == Time ? Qt::AlignRight | Qt::AlignVCenter
                                        : Qt::AlignLeft | Qt::AlignVCenter);
    case Qt::ForegroundRole:
      if (index.column() == Time) return Theme::current().muted();
      return {};
    case Qt::FontRole:
      return Theme::baseFont(12);
    case Qt::ToolTipRole:
      return index.column() == Text ? QVariant(q(line.text)) : QVariant();
    case TimeRole:
      return line.time_s;
    case SentRole:
      return line.sent;
    case InsideRole:
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

// --- painting
// --------------------------------------------------------------------------------------

void NotebookDelegate::paint(QPainter* painter, const QStyleOptionViewItem& given,
                             const QModelIndex& index) const {
  QStyleOptionViewItem option = given;
  initStyleOption(&option, index);
  const Theme& t = Theme::current();
  painter->save();
  const bool lit =
      (option.state & QStyle::State_Selected) || index.data(LogModel::InsideRole).toBool();
  if (lit) painter->fillRect(option.rect, t.wash());
  if (option.state & QStyle::State_HasFocus) {
    painter->setPen(QPen(t.focus(), 1));
    painter->drawRect(QRectF(option.rect).adjusted(0.5, 0.5, -0.5, -0.5));
  }
  QRectF box = QRectF(option.rect).adjusted(8, 0, -8, 0);
  painter->setRenderHint(QPainter::Antialiasing);
  const QVariant fill = index.data(LedgerModel::FillRole),
                 share = index.data(LedgerModel::ShareRole);
  if (share.isValid()) {
    const double room = std::max(0.0, box.width() - 48);
    const QRectF bar(box.left(), box.center().y() - 6,
                     std::clamp(share.toDouble(), 0.0, 1.0) * room, 12);
    painter->fillRect(bar, fill.value<QBrush>());
    painter->setPen(QPen(t.border(), 0.6));
    painter->drawRect(bar);
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
    paintFigures(*painter, box, option.text);
  } else {
    painter->drawText(
        box, Qt::AlignVCenter | Qt::AlignLeft,
        option.fontMetrics.elidedText(option.text, Qt::ElideRight, static_cast<int>(box.width())));
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
  painter->drawText(rect.adjusted(8, 0, -8, 0), alignment | Qt::AlignVCenter,
                    model()->headerData(section, Qt::Horizontal, Qt::DisplayRole).toString());
  painter->restore();
}

NotebookTable::NotebookTable(const QString& name, const QString& accessible_name, int row_height,
                             QWidget* parent)
    : QTableView(parent) {
  setObjectName(name);
  setAccessibleName(accessible_name);
  setHorizontalHeader(new NotebookHeader(this));
  setItemDelegate(new NotebookDelegate(this));
  setFrameShape(QFrame::NoFrame);
  setShowGrid(false);
  setSelectionBehavior(QAbstractItemView::SelectRows);
  setSelectionMode(QAbstractItemView::SingleSelection);
  setEditTriggers(QAbstractItemView::NoEditTriggers);
  setTabKeyNavigation(false);
  setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  verticalHeader()->hide();
  verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
  verticalHeader()->setDefaultSectionSize(row_height);
  verticalHeader()->setMinimumSectionSize(row_height);
  horizontalHeader()->setHighlightSections(false);
  horizontalHeader()->setFont(Theme::baseFont(11, QFont::DemiBold));
  setMouseTracking(true);
}

}  // namespace kuvio::app
