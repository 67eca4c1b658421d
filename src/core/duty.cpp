// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/duty.h"

#include <algorithm>
#include <map>
#include <stdexcept>

namespace kuvio {

FieldMean field_mean(const DutyPlan& plan, const Ledger& ledger) {
  FieldMean out;
  const auto row_of = [&](const std::string& state, bool whole) -> const LedgerRow* {
    const LedgerRow* row = ledger.find(state);
    const bool there = row && (whole ? row->whole_visits > 0 : row->visits > 0 && row->mean);
    if (!there) {
      if (std::find(out.missing.begin(), out.missing.end(), state) == out.missing.end()) {
        out.missing.push_back(state);
      }
      return nullptr;
    }
    out.lower_bound |= row->lower_bound;
    if (whole && row->whole_visits == 1) out.single_visit = true;
    return row;
  };

  const LedgerRow* rest = row_of(plan.rest, false);
  std::map<std::string, double> rates;
  std::vector<std::string> order;
  for (const Round& round : plan.rounds) {
    for (const std::string& state : round.states) {
      if (!rates.count(state)) order.push_back(state);
      rates[state] += round.rate_hz;
    }
  }
  double busy = 0;
  for (const std::string& state : order) {
    const LedgerRow* row = row_of(state, true);
    if (!row) continue;
    const double rate = rates[state];
    busy += rate * row->visit_length.mean;
    out.shares.push_back({state, rate * row->charge_per_visit.mean});
    out.mean += out.shares.back().current;
    // Lengths matter twice: more charge, less rest. The rest is far smaller, so only the charge
    // counts.
    for (Component c : charge_per_visit_components(*row, ledger.basis, false)) {
      c.u *= rate;
      out.repeat.push_back(c);
    }
  }
  for (const std::string& state : plan.once) {
    if (const LedgerRow* row = row_of(state, true)) out.once_charge += row->charge_per_visit.mean;
  }
  if (busy > 1) throw std::domain_error("the rounds take more time than there is");
  if (rest) {
    const double part = *rest->mean * (1 - busy);
    out.shares.push_back({plan.rest, part});
    out.mean += part;
    if (rest->level.n >= 2) out.repeat.push_back({rest->level.u * (1 - busy), rest->level.freedom});
  }
  std::vector<Component> all = accuracy_components(ledger.basis.accuracy, out.mean);
  all.insert(all.end(), out.repeat.begin(), out.repeat.end());
  out.mean_u = combine(all);
  std::stable_sort(out.shares.begin(), out.shares.end(),
                   [](const Share& a, const Share& b) { return a.current > b.current; });
  return out;
}

}  // namespace kuvio
