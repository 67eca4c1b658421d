// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/duty.h"
#include "core/lifetime.h"
#include "core/limit_quantity.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

struct Ledger;

struct Limit {
  std::size_t block = 0;  ///< number of its [[limit]] in the file
  Scope scope = Scope::whole;
  std::string state;  ///< for Scope::state
  LimitQuantity quantity = LimitQuantity::mean_current;
  Statistic statistic = Statistic::mean;
  std::optional<double> expect, max, min;  ///< in SI units; min for a life
  std::optional<DutyPlan> duty;            ///< for Scope::field
  std::optional<Battery> battery;          ///< for a life

  /// "Hibernate: mean current", "Whole capture: peak current", "Field: lifetime",
  /// "Uplink: visit length, 95th percentile".
  std::string name() const;
};

struct Budget {
  std::string name;
  double supply = 0;        ///< V; 0: not given
  std::string recipe_file;  ///< as resolved against the budget's folder
  std::vector<Limit> limits;
};

/// The greatest current that a budget allows the device to take (A): of its limits on peaks.
/// Nothing where it limits none.
std::optional<double> allowed_peak(const Budget& budget);

/// A limit held against a build.
struct LimitResult {
  const Limit* limit = nullptr;
  std::optional<double> measured;
  double U = 0;  ///< expanded uncertainty (95 %); for a life half of its interval
  /// What is judged: measured - U … measured + U; a life's interval and that of a 95th percentile
  /// are not symmetric. Nothing at an end without end.
  std::optional<double> low, high;
  double coverage_factor = 0;         ///< U / u; 0 where there is none (percentiles)
  std::vector<Component> components;  ///< of U
  Bounds bounds;
  bool single_visit = false;    ///< fewer than two whole visits: accuracy and edges alone
  bool accuracy_stated = true;  ///< else the instrument's part is not in U
  std::size_t visits = 0;       ///< that the figure is of; 0 where it is not of visits
  std::optional<std::size_t> needed_visits;  ///< for a verdict that is too close for want of visits
  std::optional<double>
      headroom;  ///< limit minus measured (measured minus limit for a lower limit)
  Verdict verdict = Verdict::no_data;
  std::string note;  ///< why there is no data, or what the figure rests on
};

struct CheckResult {
  std::vector<LimitResult> limits;
  /// outside if any is outside, else no data if any has none, else too close if any is, else
  /// within.
  Verdict verdict = Verdict::within;
  std::vector<Unnamed> unnamed;  ///< by the budget's duty plans
};

/// Holds every limit of a budget against a build's pooled ledger. A limit whose state the ledger
/// does not hold has no data, which is never a pass. Means are those of whole visits where there
/// are two. The largest of the n visits seen decides `worst` by itself; a 95th percentile is judged
/// by order statistics (core/quantiles.h). What was clipped is never within on its open side, and a
/// field whose plan leaves out over 1 % of the charge is never within. The results point into
/// `budget`.
CheckResult check(const Budget& budget, const Ledger& ledger);

}  // namespace kuvio
