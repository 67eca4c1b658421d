// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/duty.h"
#include "core/ledger.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// One state of one activity with what it adds to a field mean.
struct PlanTerm {
  std::size_t activity = 0;
  std::string state;
  double rate_hz = 0;
  const LedgerRow* row = nullptr;
  std::optional<double> held;  ///< length that is given or common
  bool given = false;          ///< by the plan

  double length() const { return held ? *held : row->visit_length.mean; }
  double level() const { return row->tested_mean().value_or(0); }
  double charge() const { return held ? level() * *held : row->charge_per_visit.mean; }
};
/// The terms of a plan that the ledger holds whole visits of; names the others in `missing`.
std::vector<PlanTerm> plan_terms(const DutyPlan& plan, const Ledger& ledger,
                                 const CommonLengths& common, std::vector<std::string>& missing);

}  // namespace kuvio
