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

FieldMean captured_mean(const Trace& trace, const std::vector<VisitFigures>& figures,
                        const Ledger& ledger) {
  Visits visits;
  for (const VisitFigures& f : figures) visits.push_back(f.visit);
  const LedgerRow* rest = ledger.longest();
  const Cycles cycles = rest ? find_cycles(trace, visits, rest->state) : Cycles{};
  FieldMean out;
  double from = trace.from_s(), to = trace.to_s(), observed = ledger.observed_s();
  if (cycles.count > 0) {
    from = cycles.from_s;
    to = cycles.to_s;
    observed = to - from;
    if (cycles.count >= 2)
      out.repeat.push_back({cycles.charge.u / cycles.period.mean, cycles.charge.freedom});
  }
  for (const LedgerRow& row : ledger.rows) {
    double charge = 0;
    for (const VisitFigures& f : figures) {
      if (f.visit.state != row.state || row.state == kMissing || row.state == kOff) continue;
      const double a = std::max(from, f.visit.from_s), b = std::min(to, f.visit.to_s);
      if (a < b) charge += measure(trace, a, b).charge;
    }
    if (charge != 0 && observed > 0) out.shares.push_back({row.state, charge / observed});
    out.mean += observed > 0 ? charge / observed : 0;
  }
  auto components = accuracy_components(ledger.basis.accuracy, out.mean);
  components.insert(components.end(), out.repeat.begin(), out.repeat.end());
  out.mean_u = combine(components);
  return out;
}

DutyPlan plan_of(const Ledger& ledger, const std::vector<VisitFigures>& visits) {
  DutyPlan out;
  const LedgerRow* rest = ledger.longest();
  if (!rest || !(ledger.observed_s() > 0)) return out;
  out.rest = rest->state;
  const auto counts = [&](const std::string& state) {
    const LedgerRow* row = ledger.find(state);
    return !is_built_in_state(state) && row && row->whole_visits > 0;
  };
  // What is gone through between two rests is a round; the same states in the same order are the
  // same one.
  std::map<std::vector<std::string>, std::size_t> rounds;
  std::vector<std::string> between;
  bool first = true;
  for (const VisitFigures& f : visits) {
    const std::string& state = f.visit.state;
    if (state == out.rest) {
      if (!between.empty()) ++rounds[between];
      between.clear();
    } else if (counts(state)) {
      const LedgerRow* row = ledger.find(state);
      if (first && row->visits == 1) {
        out.once.push_back(state);
      } else {
        between.push_back(state);
      }
    }
    first &= is_built_in_state(state);
  }
  if (!between.empty()) ++rounds[between];
  for (const auto& [states, times] : rounds)
    out.rounds.push_back({static_cast<double>(times) / ledger.observed_s(), states});
  std::stable_sort(out.rounds.begin(), out.rounds.end(),
                   [](const Round& x, const Round& y) { return x.rate_hz > y.rate_hz; });
  return out;
}

}  // namespace kuvio
