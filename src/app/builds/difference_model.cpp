// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/difference_model.h"

#include "app/builds/sentence.h"
#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/short_names.h"
#include "app/style/theme.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <cmath>

namespace kuvio::app {
namespace {
const QString kNothing = QStringLiteral("–");

QString interval(const Difference& d) {
  return qs(formats::bounds_mark(d.bounds) + with_interval(d.value, d.low, d.high, "A"));
}
QString days(const std::optional<double>& seconds) {
  if (!seconds) return kNothing;
  const double d = *seconds / 86400;
  if (std::fabs(d) < 0.5) return QStringLiteral("0 d");
  return QStringLiteral("%1%2 d")
      .arg(d < 0 ? QStringLiteral("−") : QStringLiteral("+"))
      .arg(std::fabs(d), 0, 'f', 0);
}
}  // namespace

void DifferenceModel::setView(BuildsViewPtr view) {
  beginResetModel();
  view_ = std::move(view);
  rows_.clear();
  if (view_) {
    for (std::size_t i = 0; i < view_->comparison.rows.size(); ++i) {
      const CompareRow& r = view_->comparison.rows[i];
      if (r.state != kOff && (r.reference_mean || r.candidate_mean)) rows_.push_back(i);
    }
  }
  endResetModel();
}

void DifferenceModel::setUnit(ChargeUnit unit) {
  beginResetModel();
  unit_ = unit;
  endResetModel();
}

int DifferenceModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || rows_.empty() ? 0 : static_cast<int>(rows_.size()) + 1;
}
int DifferenceModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : Columns;
}

QString DifferenceModel::text(std::size_t row, int column) const {
  const CompareRow& r = view_->comparison.rows[row];
  switch (column) {
    case State:
      return qs(r.state);
    case Reference:
      return r.reference_mean ? qs(with_prefix(*r.reference_mean, "A", 4)) : kNothing;
    case Candidate:
      return r.candidate_mean ? qs(with_prefix(*r.candidate_mean, "A", 4)) : kNothing;
    case Interval:
      return r.mean.known ? interval(r.mean) : kNothing;
    case PerVisit: {
      if (!r.charge_per_visit.known) return kNothing;
      const double volts = 0;
      const double factor = per_coulomb(unit_, volts);
      // Energies of two builds would need one voltage: their charges are shown instead.
      const ChargeUnit unit = factor > 0 ? unit_ : ChargeUnit::coulomb;
      return qs(
          signed_prefix(r.charge_per_visit.value * per_coulomb(unit, volts), symbol(unit), 3));
    }
    case Bridge:
      return qs(signed_prefix(r.bridge, "A", 3));
    case Life:
      return row < view_->life_change.size() ? days(view_->life_change[row]) : kNothing;
    case Shown:
      return shown_text(r, view_->comparison.tests);
    default:
      return {};
  }
}

QString DifferenceModel::totalText(int column) const {
  const Comparison& c = view_->comparison;
  switch (column) {
    case State:
      return view_->field ? tr("In the field") : tr("As captured");
    case Reference:
      return c.reference_mean ? qs(with_prefix(*c.reference_mean, "A", 4)) : kNothing;
    case Candidate:
      return c.candidate_mean ? qs(with_prefix(*c.candidate_mean, "A", 4)) : kNothing;
    case Interval:
      return c.total.known ? interval(c.total) : kNothing;
    case PerVisit:
      return kNothing;
    case Bridge:
      return qs(signed_prefix(c.total.value, "A", 3));
    case Life:
      return view_->reference_life && view_->candidate_life && view_->reference_life->life &&
                     view_->candidate_life->life
                 ? days(*view_->candidate_life->life - *view_->reference_life->life)
                 : kNothing;
    case Shown: {
      CompareRow total;
      total.conclusion = c.total_conclusion;
      total.reference_mean = c.reference_mean;
      total.candidate_mean = c.candidate_mean;
      total.mean = c.total;
      return shown_text(total, c.tests);
    }
    default:
      return {};
  }
}

QVariant DifferenceModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const bool total = index.row() == static_cast<int>(rows_.size());
  const std::size_t row = total ? 0 : rows_[static_cast<std::size_t>(index.row())];
  const kuvio::Conclusion conclusion =
      total ? view_->comparison.total_conclusion : view_->comparison.rows[row].conclusion;
  switch (role) {
    case Qt::DisplayRole:
      return total ? totalText(index.column()) : text(row, index.column());
    case Qt::FontRole:
      if (total) return Theme::baseFont(13, QFont::DemiBold);
      return {};
    case Qt::TextAlignmentRole:
      return int(index.column() == State || index.column() == Shown
                     ? Qt::AlignLeft | Qt::AlignVCenter
                     : Qt::AlignRight | Qt::AlignVCenter);
    case Qt::ForegroundRole:
      if (index.column() == Shown)
        return conclusion == kuvio::Conclusion::higher ? Theme::current().accent()
                                                       : Theme::current().muted();
      return {};
    case StateRole:
      return total ? QString() : qs(view_->comparison.rows[row].state);
    case FillRole:
      if (!total && index.column() == State)
        return Theme::current().fill(view_->comparison.rows[row].state, view_->fills);
      return {};
    case RawRole:
      if (total || index.column() != Bridge) return {};
      return view_->comparison.rows[row].bridge;
    default:
      return {};
  }
}

QVariant DifferenceModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole)
    return int(section == State || section == Shown ? Qt::AlignLeft | Qt::AlignVCenter
                                                    : Qt::AlignRight | Qt::AlignVCenter);
  if (role == Qt::ToolTipRole && view_ && (section == 1 || section == 2))
    return qs(section == 1 ? view_->reference : view_->candidate);
  if (role != Qt::DisplayRole) return {};
  constexpr int kTitle = 14;
  const QStringList builds = view_
                                 ? short_names({qs(view_->reference), qs(view_->candidate)}, kTitle)
                                 : QStringList{tr("reference"), tr("candidate")};
  const QStringList names{
      tr("state"),     builds[0],    builds[1],          tr("difference of means, 95 % CI"),
      tr("per visit"), tr("bridge"), tr("battery life"), tr("finding")};
  return names.value(section);
}

int DifferenceModel::rowOf(const std::string& state) const {
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    if (view_->comparison.rows[rows_[i]].state == state) return static_cast<int>(i);
  }
  return -1;
}

}  // namespace kuvio::app
