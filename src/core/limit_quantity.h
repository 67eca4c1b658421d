// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"

#include <span>
#include <string_view>

namespace kuvio {

/// What a limit is about. A new one: its line in the table (limit_quantity.cpp) and how it is read
/// from a ledger (budget.cpp, kReadings).
enum class LimitQuantity {
  mean_current,
  charge_per_visit,
  energy_per_visit,
  visit_length,
  peak_current,
  lifetime
};

/// Which figure over the visits must hold.
enum class Statistic { mean, p95, worst };

/// Whose quantity it is.
enum class Scope { state, whole, field };

struct LimitQuantityInfo {
  LimitQuantity id;
  std::string_view key;   ///< in a budget file: "charge_per_visit"
  std::string_view name;  ///< for people: "charge per visit"
  Dimension dimension;
  bool of_state, of_whole, of_field;  ///< whose it can be
  bool at_least;                      ///< limited from below: a lifetime
  bool needs_battery;
  Statistic usual;  ///< where a budget names none

  bool fits(Scope scope) const {
    return scope == Scope::state ? of_state : scope == Scope::whole ? of_whole : of_field;
  }
  std::string_view unit() const { return unit_symbol(dimension); }
};

/// All of them, in the order in which people are offered them.
std::span<const LimitQuantityInfo> limit_quantities();
const LimitQuantityInfo& info(LimitQuantity quantity);

struct StatisticInfo {
  Statistic id;
  std::string_view key;   ///< in a budget file: "p95"
  std::string_view name;  ///< for people: "95th percentile"
};
std::span<const StatisticInfo> statistics();
const StatisticInfo& info(Statistic statistic);

}  // namespace kuvio
