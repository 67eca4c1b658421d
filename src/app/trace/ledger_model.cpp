// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/ledger_model.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/verdict_text.h"
#include "core/budget.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <algorithm>

namespace kuvio::app {
namespace {
const QString kNothing = QStringLiteral("–");
QString open(Bounds bounds) { return qs(formats::bounds_mark(bounds)); }
}  // namespace

std::map<std::string, StateVerdict> verdictsByState(const CheckResult& result) {
  std::map<std::string, StateVerdict> out;
  for (const LimitResult& r : result.limits) {
    if (r.limit->scope != Scope::state) continue;
    const auto [it, fresh] = out.try_emplace(r.limit->state, StateVerdict{r.verdict, {}});
    it->second.verdict = fresh ? r.verdict : worse(it->second.verdict, r.verdict);
    const auto unit = info(r.limit->quantity).unit();
    it->second.text +=
        (fresh ? QString() : QStringLiteral("\n")) +
        QStringLiteral("%1: %2, %3 %4")
            .arg(qs(r.limit->name()), verdict_text(r.verdict),
                 r.limit->max ? QStringLiteral("≤") : QStringLiteral("≥"),
                 qs(with_prefix(r.limit->max.value_or(r.limit->min.value_or(0)), unit, 4)));
  }
  return out;
}

void LedgerModel::setCapture(const CaptureViewPtr& capture) {
  beginResetModel();
  if (!capture_ || !capture || capture_->info.id != capture->info.id) seen_.clear();
  capture_ = capture;
  rows_.clear();
  if (capture && capture->ledger) {
    for (const LedgerRow& row : capture->ledger->rows) {
      if (row.visits > 0) rows_.push_back(&row);
    }
  }
  endResetModel();
}

void LedgerModel::setSeen(const FramePtr& frame) {
  seen_.clear();
  if (!capture_ || rows_.empty()) return;
  for (const FanBand& band : frame->fan.bands) {
    // A frame of before the capture was split anew may know visits that are no more.
    if (band.visit >= capture_->visits.size()) return seen_.clear();
    Seen& seen = seen_[capture_->visits[band.visit].visit.state];
    seen.time_share += band.time_to - band.time_from;
    seen.charge_share += band.charge_to - band.charge_from;
  }
  seen_charge_ = frame->fan.charge;
  seen_s_ = frame->to_s - frame->from_s;
  emit dataChanged(index(0, Share), index(static_cast<int>(rows_.size()) - 1, Share), {SeenRole});
}

std::optional<double> LedgerModel::seenShare(const std::string& state) const {
  if (seen_.empty()) return std::nullopt;
  const auto it = seen_.find(state);
  return it == seen_.end() ? 0 : it->second.charge_share;
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
      return qs(r.state);
    case Visits:
      return QString::number(r.visits);
    case Time:
      return qs(duration(r.time_s));
    case Mean:
      return r.mean ? open(r.bounds) + qs(with_uncertainty(*r.mean, r.mean_u.U, "A")) : kNothing;
    case Charge:
      return r.state == kMissing
                 ? kNothing
                 : open(r.bounds) +
                       qs(charge_with_uncertainty(r.charge, r.charge_u.U, unit_, voltage()));
    case Share:
      return r.state == kMissing ? QString() : qs(percent(r.charge_share));
    case PerVisit:
      return r.whole_visits > 0
                 ? open(r.bounds) +
                       qs(charge_with_uncertainty(r.charge_per_visit.mean, r.charge_per_visit_u.U,
                                                  unit_, voltage()))
                 : kNothing;
    case Peak:
      return r.peak ? open(r.bounds) + qs(with_prefix(*r.peak, "A", 3)) : kNothing;
    case Verdicts: {
      const auto it = verdicts_.find(r.state);
      return it == verdicts_.end() ? QString() : verdict_text(it->second.verdict);
    }
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
      return qs(duration(l.time_s));
    case Mean:
      return l.mean ? open(l.bounds) + qs(with_uncertainty(*l.mean, l.mean_u.U, "A")) : kNothing;
    case Charge:
      return open(l.bounds) +
             qs(charge_with_uncertainty(l.charge, l.mean_u.U * l.observed_s(), unit_, voltage()));
    case Share: {
      const LedgerRow* unassigned = l.find(kUnassigned);
      QStringList parts;
      if (l.missing_s > 0) parts << tr("%1 missing").arg(qs(duration(l.missing_s)));
      if (unassigned && unassigned->visits > 0)
        parts << tr("%1 unassigned").arg(qs(duration(unassigned->time_s)));
      return parts.isEmpty() ? tr("no gaps, none unassigned") : parts.join(QStringLiteral(", "));
    }
    default:
      return {};
  }
}

namespace {

int alignment_of(int column) {
  return int(column == LedgerModel::State ? Qt::AlignLeft | Qt::AlignVCenter
                                          : Qt::AlignRight | Qt::AlignVCenter);
}

/// The number behind a cell, in SI.
QVariant raw(const LedgerRow& r, int column) {
  const auto known = [](const std::optional<double>& v) { return v ? QVariant(*v) : QVariant(); };
  switch (column) {
    case LedgerModel::Visits:
      return static_cast<int>(r.visits);
    case LedgerModel::Time:
      return r.time_s;
    case LedgerModel::Mean:
      return known(r.mean);
    case LedgerModel::Charge:
      return r.charge;
    case LedgerModel::Share:
      return r.charge_share;
    case LedgerModel::PerVisit:
      return r.charge_per_visit.mean;
    case LedgerModel::Peak:
      return known(r.peak);
    default:
      return {};
  }
}

}  // namespace

QVariant LedgerModel::totalData(int column, int role) const {
  switch (role) {
    case Qt::DisplayRole:
      return totalText(column);
    case Qt::FontRole:
      return column == Share ? Theme::baseFont(11) : Theme::baseFont(12, QFont::DemiBold);
    case Qt::ForegroundRole:
      return column == Share ? QVariant(Theme::current().muted()) : QVariant();
    case Qt::TextAlignmentRole:
      return alignment_of(column);
    default:
      return {};
  }
}

/// What a cell has to say that does not fit into it.
QVariant LedgerModel::tip(const LedgerRow& r, int column) const {
  if (column == Verdicts) {
    const auto it = verdicts_.find(r.state);
    return it == verdicts_.end() ? QVariant() : QVariant(it->second.text);
  }
  if (column == Share && !seen_.empty()) {
    const auto it = seen_.find(r.state);
    const Seen seen = it == seen_.end() ? Seen{} : it->second;
    return tr("Filled: in view, %1 of the charge, %2 in %3\nOutline: whole capture, %4")
        .arg(qs(percent(seen.charge_share)),
             qs(charge_text(seen.charge_share * seen_charge_, unit_, voltage())),
             qs(duration(seen.time_share * seen_s_)), qs(percent(r.charge_share)));
  }
  if (column == PerVisit && r.whole_visits > 0) {
    return tr("%1 whole visits, from %2 to %3, coverage factor %4")
        .arg(r.whole_visits)
        .arg(qs(charge_text(r.charge_per_visit_min, unit_, voltage())),
             qs(charge_text(r.charge_per_visit_max, unit_, voltage())))
        .arg(r.charge_per_visit_u.coverage_factor, 0, 'f', 2);
  }
  if (column == Mean && r.mean) {
    return tr("%1 over all stays, %2 over whole visits\nsettled %3, coverage factor %4")
        .arg(qs(with_prefix(*r.mean, "A", 4)),
             r.whole_visits > 1 ? qs(with_prefix(r.tested_mean().value_or(0), "A", 4)) : kNothing,
             r.settled ? qs(with_prefix(*r.settled, "A", 4)) : kNothing)
        .arg(r.mean_u.coverage_factor, 0, 'f', 2);
  }
  return {};
}

QVariant LedgerModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const int column = index.column();
  if (isTotal(index.row())) return totalData(column, role);
  const LedgerRow& r = *rows_[static_cast<std::size_t>(index.row())];
  switch (role) {
    case Qt::DisplayRole:
      return text(r, column);
    case Qt::TextAlignmentRole:
      return alignment_of(column);
    case StateRole:
      return qs(r.state);
    case ShareRole:
      return column == Share ? QVariant(r.charge_share) : QVariant();
    case SeenRole: {
      const auto seen = seenShare(r.state);
      return seen && column == Share ? QVariant(*seen) : QVariant();
    }
    case FillRole:
      if (column != State && column != Share) return {};
      return Theme::current().fill(r.state, capture_->fills);
    case RawRole:
      return raw(r, column);
    case Qt::ForegroundRole: {
      if (column != Verdicts) return {};
      const auto it = verdicts_.find(r.state);
      const bool outside = it != verdicts_.end() && it->second.verdict == Verdict::outside;
      return outside ? Theme::current().accent() : Theme::current().muted();
    }
    case Qt::ToolTipRole:
      return tip(r, column);
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
  const QStringList names{
      tr("state"),     tr("visits"), tr("time"),
      tr("mean"),      tr("charge"), tr("share"),
      tr("per visit"), tr("peak"),   verdicts_.empty() ? QString() : tr("budget")};
  return names.value(section);
}

void LedgerModel::setUnit(ChargeUnit unit) {
  beginResetModel();
  unit_ = unit;
  endResetModel();
}

void LedgerModel::setVerdicts(std::map<std::string, StateVerdict> verdicts) {
  beginResetModel();
  verdicts_ = std::move(verdicts);
  endResetModel();
}

double LedgerModel::voltage() const { return capture_ ? capture_->basis.voltage : 0; }

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

}  // namespace kuvio::app
