// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/visits_model.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/trace/time_text.h"
#include "formats/phrases.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

const QString kNothing = QStringLiteral("–");

QString name_of(VisitMeasure measure) {
  switch (measure) {
    case VisitMeasure::charge:
      return QObject::tr("charge");
    case VisitMeasure::length:
      return QObject::tr("length");
    case VisitMeasure::mean:
      return QObject::tr("mean");
    case VisitMeasure::peak:
      return QObject::tr("peak");
  }
  return {};
}

}  // namespace

void VisitsModel::setVisits(const CaptureViewPtr& capture, const std::string& state) {
  beginResetModel();
  capture_ = capture;
  survey_ = capture ? survey_visits(capture->visits, state) : VisitSurvey{};
  rows_ = survey_.visits;
  arrange();
  endResetModel();
}

void VisitsModel::setUnit(ChargeUnit unit) {
  beginResetModel();
  unit_ = unit;
  endResetModel();
}

int VisitsModel::visitOf(int row) const {
  return row >= 0 && row < static_cast<int>(rows_.size())
             ? static_cast<int>(rows_[static_cast<std::size_t>(row)])
             : -1;
}

int VisitsModel::rowOf(int visit) const {
  const auto it = std::find(rows_.begin(), rows_.end(), static_cast<std::size_t>(visit));
  return visit < 0 || it == rows_.end() ? -1 : static_cast<int>(it - rows_.begin());
}

const VisitFigures& VisitsModel::figures(std::size_t visit) const {
  return capture_->visits[visit];
}

QString VisitsModel::oddText(std::size_t visit) const {
  // Measures that are as odd as each other are said together: a longer visit has more charge.
  std::vector<std::pair<QString, QStringList>> by_ratio;
  for (const OddVisit& o : survey_.odd) {
    if (o.visit != visit) continue;
    // A ratio says nothing about zero.
    const bool ratio = o.usual > 0 && o.value > 0;
    const QString times = ratio ? tr(" %1 ×").arg(o.value / o.usual, 0, 'g', 2) : QString();
    auto it = std::find_if(by_ratio.begin(), by_ratio.end(),
                           [&](const auto& group) { return group.first == times; });
    if (it == by_ratio.end()) it = by_ratio.insert(by_ratio.end(), {times, {}});
    it->second << name_of(o.measure);
  }
  QStringList parts;
  for (const auto& [times, names] : by_ratio) parts << names.join(QStringLiteral(", ")) + times;
  return parts.join(QStringLiteral(", "));
}

QString VisitsModel::text(std::size_t visit, int column) const {
  const VisitFigures& f = figures(visit);
  const QString open = qs(formats::bounds_mark(f.bounds));
  switch (column) {
    case Begins:
      return moment_text(f.visit.from_s, 1);
    case Length:
      return qs(duration(f.visit.length_s()));
    case Mean:
      return f.mean ? open + qs(with_prefix(*f.mean, "A", 4)) : kNothing;
    case Charge:
      return open + qs(charge_text(f.charge, unit_, capture_->basis.voltage, 4));
    case Peak:
      return f.peak ? open + qs(with_prefix(*f.peak, "A", 3)) : kNothing;
    case Remark: {
      QStringList parts;
      if (!f.visit.whole) parts << tr("cut");
      if (f.missing_s > 0) parts << tr("%1 missing").arg(qs(duration(f.missing_s)));
      if (const QString odd = oddText(visit); !odd.isEmpty()) parts << odd;
      return parts.join(QStringLiteral(", "));
    }
    default:
      return {};
  }
}

QVariant VisitsModel::raw(std::size_t visit, int column) const {
  const VisitFigures& f = figures(visit);
  const auto known = [](const std::optional<double>& v) { return v ? QVariant(*v) : QVariant(); };
  switch (column) {
    case Begins:
      return f.visit.from_s;
    case Length:
      return f.visit.length_s();
    case Mean:
      return known(f.mean);
    case Charge:
    case Place:
      return f.charge;
    case Peak:
      return known(f.peak);
    default:
      return {};
  }
}

QVariant VisitsModel::place(std::size_t visit) const {
  const UsualVisit* u = survey_.of(VisitMeasure::charge);
  const VisitFigures& f = figures(visit);
  if (!u || !f.visit.whole || !(u->most > u->least)) return {};
  const auto at = [&](double value) {
    return std::clamp((value - u->least) / (u->most - u->least), 0.0, 1.0);
  };
  return QVariant::fromValue(
      VisitPlace{at(f.charge), at(u->median), std::isfinite(u->low) ? at(u->low) : 0.0,
                 std::isfinite(u->high) ? at(u->high) : 1.0, survey_.is_odd(visit)});
}

int VisitsModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}
int VisitsModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : Columns;
}

QVariant VisitsModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const std::size_t visit = rows_[static_cast<std::size_t>(index.row())];
  switch (role) {
    case Qt::DisplayRole:
      return text(visit, index.column());
    case Qt::TextAlignmentRole:
      return headerData(index.column(), Qt::Horizontal, role);
    case RawRole:
      return raw(visit, index.column());
    case kPlaceRole:
      return index.column() == Place ? place(visit) : QVariant();
    case Qt::ForegroundRole:
      if (index.column() != Remark) return {};
      return survey_.is_odd(visit) ? Theme::current().accent() : Theme::current().muted();
    case Qt::ToolTipRole:
      if (const UsualVisit* u = survey_.of(VisitMeasure::charge); u && index.column() == Place)
        return tr("Its charge among those of %1 whole visits, from %2 to %3; the stroke in the "
                  "middle is their median, %4.")
            .arg(u->visits)
            .arg(qs(charge_text(u->least, unit_, capture_->basis.voltage, 4)),
                 qs(charge_text(u->most, unit_, capture_->basis.voltage, 4)),
                 qs(charge_text(u->median, unit_, capture_->basis.voltage, 4)));
      return index.column() == Remark ? QVariant(text(visit, Remark)) : QVariant();
    default:
      return {};
  }
}

QVariant VisitsModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal || section < 0 || section >= Columns) return {};
  if (role == Qt::TextAlignmentRole)
    return int((section == Remark || section == Place ? Qt::AlignLeft : Qt::AlignRight) |
               Qt::AlignVCenter);
  if (role == UnitRole) {
    const char* units[] = {"s", "s", "A", "C", nullptr, "A", nullptr};
    return units[section] ? QVariant(QLatin1String(units[section])) : QVariant();
  }
  if (role != Qt::DisplayRole) return {};
  const QStringList names{tr("begins"),     tr("length"), tr("mean"),  tr("charge"),
                          tr("among them"), tr("peak"),   tr("remark")};
  return names.value(section);
}

void VisitsModel::sort(int column, Qt::SortOrder order) {
  beginResetModel();
  sorted_by_ = column;
  sorted_ = order;
  arrange();
  endResetModel();
}

void VisitsModel::arrange() {
  std::sort(rows_.begin(), rows_.end());
  const auto number = [this](std::size_t visit) {
    if (sorted_by_ != Remark) return raw(visit, sorted_by_);
    const double rank = survey_.is_odd(visit) ? 2 : figures(visit).visit.whole ? 0 : 1;
    return QVariant(rank);
  };
  std::stable_sort(rows_.begin(), rows_.end(), [&](std::size_t a, std::size_t b) {
    const QVariant x = number(a), y = number(b);
    if (!x.isValid() || !y.isValid()) return x.isValid() && !y.isValid();
    return sorted_ == Qt::AscendingOrder ? x.toDouble() < y.toDouble()
                                         : y.toDouble() < x.toDouble();
  });
}

void VisitsDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  NotebookDelegate::paint(painter, option, index);
  const QVariant value = index.data(VisitsModel::kPlaceRole);
  if (!value.canConvert<VisitPlace>()) return;
  const auto place = value.value<VisitPlace>();
  const Theme& t = Theme::current();
  const QRectF box = QRectF(option.rect).adjusted(PxF{12}, 0, -PxF{12}, 0);
  const double y = box.center().y();
  const auto x = [&](double share) { return box.left() + share * box.width(); };
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  painter->setPen(QPen(t.ruling(), 1));
  painter->drawLine(QLineF(x(0), y, x(1), y));
  if (place.low > 0 || place.high < 1)
    painter->fillRect(QRectF(QPointF(x(place.low), y - PxF{3}), QPointF(x(place.high), y + PxF{3})),
                      t.ruling());
  painter->setPen(QPen(t.muted(), 1));
  painter->drawLine(QLineF(x(place.median), y - PxF{6}, x(place.median), y + PxF{6}));
  painter->setPen(Qt::NoPen);
  painter->setBrush(place.odd ? t.accent() : t.text());
  painter->drawEllipse(QPointF(x(place.at), y), PxF{3}, PxF{3});
  painter->restore();
}

}  // namespace kuvio::app
