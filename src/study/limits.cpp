// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/limits.h"

#include "core/budget.h"
#include "core/time_units.h"

#include <cmath>

namespace kuvio::study {
namespace {

/// Two digits are as many as a limit set by eye has; a tenth of room on top.
double room(double value) {
  const double u = value * 1.1, grain = std::pow(10.0, std::floor(std::log10(u)) - 1);
  return std::ceil(u / grain - 1e-9) * grain;
}

}  // namespace

Budget limits_from(const Ledger& ledger, std::string name, std::string recipe_file,
                   const std::optional<DutyPlan>& duty, const std::optional<Battery>& battery) {
  Budget out{std::move(name), std::max(0.0, ledger.basis.voltage), std::move(recipe_file), {}};
  const LedgerRow* rest = ledger.longest();
  for (const LedgerRow& row : ledger.rows) {
    if (is_built_in_state(row.state) || row.visits == 0 || !row.mean || !(*row.mean > 0)) continue;
    Limit limit;
    limit.block = out.limits.size();
    limit.scope = Scope::state;
    limit.state = row.state;
    const bool by_mean = &row == rest || row.whole_visits == 0;
    limit.quantity = by_mean ? LimitQuantity::mean_current : LimitQuantity::charge_per_visit;
    limit.statistic = info(limit.quantity).usual;
    limit.expect = by_mean ? *row.mean : row.charge_per_visit.mean;
    limit.max = room(*limit.expect);
    out.limits.push_back(std::move(limit));
  }
  if (duty && battery) {
    Limit limit;
    limit.block = out.limits.size();
    limit.scope = Scope::field;
    limit.quantity = LimitQuantity::lifetime;
    limit.statistic = info(limit.quantity).usual;
    limit.min = 2 * kYear;
    limit.duty = duty;
    limit.battery = battery;
    out.limits.push_back(std::move(limit));
  }
  return out;
}

}  // namespace kuvio::study
