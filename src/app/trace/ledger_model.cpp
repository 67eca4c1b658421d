// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/ledger_model.h"

#include "app/engine/account_views.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/verdict_text.h"
#include "core/accuracy.h"
#include "core/budget.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace kuvio::app {
namespace {
const QString kNothing = QStringLiteral("–");
QString open(Bounds bounds) { return qs(formats::bounds_mark(bounds)); }

/// How well a state's mean current is measured (A, 95 %): the instrument alone. How visits differ
/// from each other has a column of its own.
double measured_u(const LedgerRow& r) {
  return r.mean ? expand(accuracy_components(r.accuracy, *r.mean)).U : 0;
}

/// Mean length of its whole visits (s): what a mean's uncertainty is worth in charge.
double visit_length(const LedgerRow& r) {
  return r.visit_length.n > 0     ? r.visit_length.mean
         : r.mean && *r.mean != 0 ? std::fabs(r.charge_per_visit.mean / *r.mean)
                                  : 0;
}

/// "gain of the instrument 0.013 mA": the parts of an uncertainty, each a standard one.
QString parts_of(const std::vector<Component>& components, double scale, const char* unit) {
  QStringList out;
  for (const Component& c : components) {
    if (c.u > 0)
      out << QStringLiteral("%1 %2").arg(qs(c.name), qs(with_prefix(c.u * scale, unit, 2)));
  }
  return out.isEmpty() ? QObject::tr("no accuracy stated") : out.join(QStringLiteral(", "));
}

QVariant column_tip(int section) {
  switch (section) {
    case LedgerModel::Mean:
      return QObject::tr("Over all stays. ±: how well it is measured, at 95 %.");
    case LedgerModel::Charge:
      return QObject::tr("As captured. ±: how well it is measured, at 95 %.");
    case LedgerModel::Share:
      return QObject::tr(
          "Of the charge. Filled: of what is shown; outlined: of the whole capture.");
    case LedgerModel::PerVisit:
      return QObject::tr("Mean over whole visits. ±: how well it is measured, at 95 %.");
    case LedgerModel::Varies:
      return QObject::tr("How much single visits differ from each other (standard deviation).");
    case LedgerModel::OfAll:
      return QObject::tr("Of the charge of the current that was split, in the same visits.");
    case LedgerModel::Least:
      return QObject::tr("Smallest sample, its noise included.");
    default:
      return {};
  }
}
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
  if (!capture_ || !capture || capture_->info.id != capture->info.id) {
    seen_.clear();
    other_.reset();
  }
  capture_ = capture;
  takeRows();
  endResetModel();
}

void LedgerModel::setOther(const LedgerViewPtr& other) {
  if (!other && !other_) return;
  beginResetModel();
  other_ = other;
  seen_.clear();  // of the main current
  takeRows();
  endResetModel();
}

bool LedgerModel::showsOther(std::int64_t capture) const {
  return other_ && other_->asked.capture == capture;
}

const Ledger& LedgerModel::ledger() const { return other_ ? other_->ledger : *capture_->ledger; }

void LedgerModel::takeRows() {
  rows_.clear();
  if (capture_ && capture_->ledger) {
    for (const LedgerRow& row : ledger().rows) {
      if (row.visits > 0) rows_.push_back(&row);
    }
  }
  arrange();
}

/// Of a charge, as part of the main current's; nothing where that has none.
static std::optional<double> part_of(double charge, double all) {
  return all > 0 ? std::optional(charge / all) : std::nullopt;
}

void LedgerModel::sort(int column, Qt::SortOrder order) {
  if (column < 0 || column >= Columns || (column == sorted_by_ && order == sorted_)) return;
  beginResetModel();
  sorted_by_ = column;
  sorted_ = order;
  arrange();
  endResetModel();
}

void LedgerModel::setSeen(const FramePtr& frame) {
  seen_.clear();
  if (!capture_ || rows_.empty() || other_) return;
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
      return r.typed ? tr("typed") : qs(duration(r.time_s));
    case Mean:
      return r.mean ? open(r.bounds) + qs(with_uncertainty(*r.mean, measured_u(r), "A")) : kNothing;
    case Charge:
      return r.state == kMissing || r.typed
                 ? kNothing
                 : open(r.bounds) +
                       qs(charge_with_uncertainty(r.charge, r.charge_u.U, unit_, voltage()));
    case Share:
      return r.state == kMissing || r.typed ? QString() : qs(percent(r.charge_share));
    case PerVisit:
      return r.whole_visits > 0
                 ? open(r.bounds) + qs(charge_with_uncertainty(r.charge_per_visit.mean,
                                                               measured_u(r) * visit_length(r),
                                                               unit_, voltage()))
                 : kNothing;
    case Varies:
      return r.whole_visits > 1 ? QStringLiteral("± ") +
                                      qs(charge_text(r.charge_per_visit.sd, unit_, voltage(), 2))
                                : kNothing;
    case Peak:
      return r.peak ? open(r.bounds) + qs(with_prefix(*r.peak, "A", 3)) : kNothing;
    case Least:
      return r.least ? open(r.bounds) + qs(with_prefix(*r.least, "A", 3)) : kNothing;
    case Verdicts: {
      const auto it = verdicts_.find(r.state);
      return it == verdicts_.end() ? QString() : verdict_text(it->second.verdict);
    }
    case OfAll: {
      const LedgerRow* all = other_ ? capture_->ledger->find(r.state) : nullptr;
      const auto part = all ? part_of(r.charge, all->charge) : std::nullopt;
      return part ? qs(percent(*part)) : kNothing;
    }
    default:
      return {};
  }
}

QString LedgerModel::totalText(int column) const {
  const Ledger& l = ledger();
  if (capture_->info.typed) return column == State ? tr("Read by eye") : QString();
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
    case OfAll: {
      const auto part = part_of(l.charge, capture_->ledger->charge);
      return other_ && part ? qs(percent(*part)) : QString();
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
  const bool as_captured =
      column == LedgerModel::Time || column == LedgerModel::Charge || column == LedgerModel::Share;
  if (r.typed && as_captured) return {};
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
      return r.whole_visits > 0 ? QVariant(r.charge_per_visit.mean) : QVariant();
    case LedgerModel::Varies:
      return r.whole_visits > 1 ? QVariant(r.charge_per_visit.sd) : QVariant();
    case LedgerModel::Peak:
      return known(r.peak);
    case LedgerModel::Least:
      return known(r.least);
    default:
      return {};
  }
}

}  // namespace

/// What has no number in that column comes last, in either order.
void LedgerModel::arrange() {
  const auto before = [this](const LedgerRow* a, const LedgerRow* b) {
    if (sorted_by_ == State)
      return sorted_ == Qt::AscendingOrder ? a->state < b->state : b->state < a->state;
    const QVariant x = raw(*a, sorted_by_), y = raw(*b, sorted_by_);
    if (!x.isValid() || !y.isValid()) return x.isValid() && !y.isValid();
    return sorted_ == Qt::AscendingOrder ? x.toDouble() < y.toDouble()
                                         : y.toDouble() < x.toDouble();
  };
  if (sorted_by_ == Charge && sorted_ == Qt::DescendingOrder) {
    // As the ledger has it, Unassigned, Off and Missing last: the order in which its rows lie.
    std::sort(rows_.begin(), rows_.end());
  } else {
    std::stable_sort(rows_.begin(), rows_.end(), before);
  }
}

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
    const double scale = visit_length(r);
    return tr("%1 whole visits, from %2 to %3\nmeasured to: %4\nas the mean of visits like these: "
              "± %5 at 95 %, coverage factor %6")
        .arg(r.whole_visits)
        .arg(qs(charge_text(r.charge_per_visit_min, unit_, voltage())),
             qs(charge_text(r.charge_per_visit_max, unit_, voltage())),
             parts_of(r.mean ? accuracy_components(r.accuracy, *r.mean) : std::vector<Component>{},
                      scale, "C"),
             qs(charge_text(r.charge_per_visit_u.U, unit_, voltage(), 2)))
        .arg(r.charge_per_visit_u.coverage_factor, 0, 'f', 2);
  }
  if (column == Varies && r.whole_visits > 1) {
    return tr("%1 whole visits, from %2 to %3")
        .arg(r.whole_visits)
        .arg(qs(charge_text(r.charge_per_visit_min, unit_, voltage())),
             qs(charge_text(r.charge_per_visit_max, unit_, voltage())));
  }
  if (column == Mean && r.mean) {
    return tr("%1 over all stays, %2 over whole visits\nsettled %3\nmeasured to: %4\nas the mean "
              "of "
              "visits like these: ± %5 at 95 %, coverage factor %6")
        .arg(qs(with_prefix(*r.mean, "A", 4)),
             r.whole_visits > 1 ? qs(with_prefix(r.tested_mean().value_or(0), "A", 4)) : kNothing,
             r.settled ? qs(with_prefix(*r.settled, "A", 4)) : kNothing,
             parts_of(accuracy_components(r.accuracy, *r.mean), 1, "A"),
             qs(with_prefix(r.mean_u.U, "A", 2)))
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
    case UncertaintyRole:
      if (column == Mean && r.mean) return measured_u(r);
      if (column == Charge && r.state != kMissing) return r.charge_u.U;
      if (column == PerVisit && r.whole_visits > 0) return measured_u(r) * visit_length(r);
      return {};
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
  if (role == Qt::ToolTipRole) return column_tip(section);
  if (role == UnitRole) {
    const char* units[] = {nullptr, "", "s", "A", "C", "", "C", "C", "A", "A", nullptr, ""};
    return section >= 0 && section < Columns && units[section]
               ? QVariant(QLatin1String(units[section]))
               : QVariant();
  }
  if (role != Qt::DisplayRole) return {};
  const QStringList names{tr("state"),
                          tr("visits"),
                          tr("time"),
                          tr("mean"),
                          tr("charge"),
                          tr("share"),
                          tr("per visit"),
                          tr("varies"),
                          tr("peak"),
                          tr("least"),
                          verdicts_.empty() ? QString() : tr("budget"),
                          capture_ ? tr("of %1").arg(qs(capture_->channel.name)) : QString()};
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
