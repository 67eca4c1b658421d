// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/limit_quantity.h"

#include <algorithm>
#include <array>

namespace kuvio {
namespace {

using D = Dimension;
using Q = LimitQuantity;
using S = Statistic;

// clang-format off
constexpr std::array kQuantities{
    //                key                 name                dimension   state  whole  field  least  battery usual
    LimitQuantityInfo{Q::mean_current,     "mean_current",     "mean current",     D::current, true,  true,  true,  false, false, S::mean},
    LimitQuantityInfo{Q::charge_per_visit, "charge_per_visit", "charge per visit", D::charge,  true,  false, false, false, false, S::mean},
    LimitQuantityInfo{Q::energy_per_visit, "energy_per_visit", "energy per visit", D::energy,  true,  false, false, false, false, S::mean},
    LimitQuantityInfo{Q::visit_length,     "visit_length",     "visit length",     D::time,    true,  false, false, false, false, S::mean},
    LimitQuantityInfo{Q::peak_current,     "peak_current",     "peak current",     D::current, true,  true,  false, false, false, S::worst},
    LimitQuantityInfo{Q::lifetime,         "lifetime",         "lifetime",         D::time,    false, false, true,  true,  true,  S::mean},
};
// clang-format on

constexpr std::array kStatistics{
    StatisticInfo{S::mean, "mean", "mean"},
    StatisticInfo{S::p95, "p95", "95th percentile"},
    StatisticInfo{S::worst, "worst", "worst case"},
};

template <typename Table>
const auto& in(const Table& table, auto id) {
  return *std::find_if(table.begin(), table.end(), [&](const auto& one) { return one.id == id; });
}

}  // namespace

std::span<const LimitQuantityInfo> limit_quantities() { return kQuantities; }
const LimitQuantityInfo& info(LimitQuantity quantity) { return in(kQuantities, quantity); }
std::span<const StatisticInfo> statistics() { return kStatistics; }
const StatisticInfo& info(Statistic statistic) { return in(kStatistics, statistic); }

}  // namespace kuvio
