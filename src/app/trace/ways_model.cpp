// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/ways_model.h"

#include "app/engine/account_views.h"
#include "app/engine/text.h"
#include "app/style/theme.h"
#include "core/number_text.h"
#include "formats/account_results.h"

#include <algorithm>

namespace kuvio::app {
namespace {

bool is_sure(Way way) { return way != Way::alike && way != Way::unsure; }

QString word_of(const WayDifference& d) {
  switch (d.way) {
    case Way::fresh:
      return QObject::tr("new");
    case Way::gone:
      return QObject::tr("gone");
    case Way::more:
      return QObject::tr("more often");
    case Way::less:
      return QObject::tr("less often");
    case Way::unsure:
      return d.reference_count == 0 ? QObject::tr("new?") : QObject::tr("gone?");
    case Way::alike:
      break;
  }
  return {};
}

}  // namespace

void WaysModel::setWays(const Transitions& here, const WaysViewPtr& reference, const Fills& fills) {
  beginResetModel();
  here_ = here;
  fills_ = fills;
  ways_ = reference ? compare_ways(here_, reference->ways) : WayComparison{};
  reference_ = reference ? reference->build : "";
  rows_.clear();
  for (const Transition& t : here_.all)
    rows_.push_back({t.from, t.to, &t, {}, here_.exits(t.from)});
  for (const WayDifference& d : ways_.pairs) {
    const int at = rowOf(d.from, d.to);
    if (at < 0) {
      rows_.push_back({d.from, d.to, nullptr, d, here_.exits(d.from)});
    } else {
      rows_[static_cast<std::size_t>(at)].beside = d;
    }
  }
  // What differs first, in the comparison's order; the rest as it came.
  const auto rank = [this](const Row& r) {
    const bool alike = !r.beside || r.beside->way == Way::alike;
    const auto at = std::find_if(ways_.pairs.begin(), ways_.pairs.end(),
                                 [&](const auto& d) { return d.from == r.from && d.to == r.to; });
    return alike ? ways_.pairs.end() : at;
  };
  std::stable_sort(rows_.begin(), rows_.end(),
                   [&](const Row& a, const Row& b) { return rank(a) < rank(b); });
  endResetModel();
}

int WaysModel::rowOf(const std::string& from, const std::string& to) const {
  const auto it = std::find_if(rows_.begin(), rows_.end(),
                               [&](const Row& r) { return r.from == from && r.to == to; });
  return it == rows_.end() ? -1 : static_cast<int>(it - rows_.begin());
}

int WaysModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}
int WaysModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : Columns;
}

QString WaysModel::text(const Row& r, int column) const {
  switch (column) {
    case From:
      return qs(r.from);
    case To:
      return qs(r.to);
    case Here:
      return tr("%1 of %2").arg(r.here ? r.here->count : 0).arg(r.exits);
    case There:
      return r.beside ? tr("%1 of %2").arg(r.beside->reference_count).arg(r.beside->reference_exits)
                      : QString();
    case Stay:
      return r.here && r.here->longest_s > 0 ? qs(duration(r.here->median_s)) : QStringLiteral("–");
    case Remark:
      return r.beside ? word_of(*r.beside) : QString();
    default:
      return {};
  }
}

QVariant WaysModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const Row& r = rows_[static_cast<std::size_t>(index.row())];
  switch (role) {
    case Qt::DisplayRole:
      return text(r, index.column());
    case Qt::TextAlignmentRole:
      return headerData(index.column(), Qt::Horizontal, role);
    case FillRole:
      if (index.column() == From) return Theme::current().fill(r.from, fills_);
      if (index.column() == To) return Theme::current().fill(r.to, fills_);
      return {};
    case RawRole:
      if (index.column() == Here) return static_cast<int>(r.here ? r.here->count : 0);
      if (index.column() == There && r.beside) return static_cast<int>(r.beside->reference_count);
      if (index.column() == Stay && r.here && r.here->longest_s > 0) return r.here->median_s;
      return {};
    case Qt::ForegroundRole:
      if (index.column() != Remark || !r.beside) return {};
      return is_sure(r.beside->way) ? Theme::current().accent() : Theme::current().muted();
    case Qt::ToolTipRole: {
      const std::string way = r.beside ? formats::way_sentence(*r.beside, reference_) : "";
      if (!way.empty()) return qs(way);
      if (index.column() == Stay && r.here && r.here->longest_s > 0)
        return tr("Median of the stays before, from %1 to %2")
            .arg(qs(duration(r.here->shortest_s)), qs(duration(r.here->longest_s)));
      return {};
    }
    default:
      return {};
  }
}

QVariant WaysModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal || section < 0 || section >= Columns) return {};
  const bool words = section == From || section == To || section == Remark;
  if (role == Qt::TextAlignmentRole)
    return int((words ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
  if (role == UnitRole) {
    const char* units[] = {nullptr, nullptr, "", "", "s", nullptr};
    return units[section] ? QVariant(QLatin1String(units[section])) : QVariant();
  }
  if (role != Qt::DisplayRole) return {};
  const QStringList names{tr("left"),  tr("next"),
                          tr("exits"), qs(reference_),
                          tr("after"), reference_.empty() ? QString() : tr("remark")};
  return names.value(section);
}

}  // namespace kuvio::app
