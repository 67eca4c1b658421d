// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/ledger.h"

#include "core/running.h"
#include "core/sum.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace kuvio {
namespace {

constexpr double kEdgePair = 0.40824829046386302;  // sqrt(2/12): two edges, each within one sample

double median(std::vector<double> v) {
  const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  return *middle;
}

/// Totals of a state while the accounts are read.
struct Gathering {
  LedgerRow row;
  Sum time, charge, settled_weight, settled_sum, observed;
};

void add_visit(Gathering& g, const Trace& trace, const VisitFigures& f) {
  LedgerRow& row = g.row;
  ++row.visits;
  g.time += f.visit.length_s();
  g.observed += f.observed_s;
  g.charge += f.charge;
  row.lower_bound |= f.lower_bound;
  if (f.peak) row.peak = row.peak ? std::max(*row.peak, *f.peak) : *f.peak;
  if (f.visit.whole) {
    ++row.whole_visits;
    row.charges.push_back(f.charge);
    row.lengths.push_back(f.visit.length_s());
    row.peaks.push_back(f.peak.value_or(0));
  }
  if (row.state != kMissing) {
    if (const auto level = settled_level(trace, f.visit)) {
      g.settled_sum += *level * f.visit.length_s();
      g.settled_weight += f.visit.length_s();
    }
  }
}

/// Repeatability of the mean of one long stay from the means of 20 equal batches.
Repeatability batch_means(const Trace& trace, const VisitFigures& stay) {
  constexpr int kBatches = 20;
  std::vector<double> means;
  const double width = stay.visit.length_s() / kBatches;
  for (int i = 0; i < kBatches; ++i) {
    const double from = stay.visit.from_s + width * i;
    if (const auto m = measure(trace, from, std::min(stay.visit.to_s, from + width)).mean()) {
      means.push_back(*m);
    }
  }
  return repeatability(means);
}

void finish(LedgerRow& row, const Basis& basis) {
  row.level = ratio_of_sums(row.charges, row.lengths);
  row.charge_per_visit = repeatability(row.charges);
  row.visit_length = repeatability(row.lengths);
  if (!row.charges.empty()) {
    const auto [lo, hi] = std::minmax_element(row.charges.begin(), row.charges.end());
    row.charge_per_visit_min = *lo;
    row.charge_per_visit_max = *hi;
  }
  row.edge_length_u = basis.sample_s * kEdgePair;
  row.edge_charge_u = std::fabs(row.mean.value_or(0)) * row.edge_length_u;
}

void uncertainties(LedgerRow& row, const Basis& basis) {
  row.mean_u = combine(mean_components(row, basis));
  const double observed = row.mean && *row.mean != 0 ? row.charge / *row.mean : row.time_s;
  row.charge_u = row.mean_u;
  row.charge_u.U *= observed;
  row.charge_u.u *= observed;
  row.charge_per_visit_u = combine(charge_per_visit_components(row, basis));
  row.visit_length_u = combine(visit_length_components(row));
}

int order_class(const LedgerRow& row) {
  return row.state == kUnassigned ? 1 : row.state == kOff ? 2 : row.state == kMissing ? 3 : 0;
}

}  // namespace

std::vector<VisitFigures> measure_visits(const Trace& trace, const Visits& visits) {
  std::vector<VisitFigures> out;
  out.reserve(visits.size());
  for (const Visit& visit : visits) {
    VisitFigures f{visit, 0, visit.length_s(), 0, {}, {}, false};
    const SpanFigures span = measure(trace, visit.from_s, visit.to_s);
    f.lower_bound = span.lower_bound();
    if (visit.state != kMissing) {
      f.observed_s = span.observed_s;
      f.missing_s = span.missing_s;
      f.charge = span.charge;
      f.mean = span.mean();
      f.peak = span.max;
    }
    out.push_back(std::move(f));
  }
  return out;
}

std::optional<double> settled_level(const Trace& trace, const Visit& visit) {
  constexpr int kParts = 16;
  constexpr double kLong = 300'000;  // samples
  const double width = visit.length_s() / kParts;
  const double whole = trace.to_s() - trace.from_s();
  const double samples =
      whole > 0 ? static_cast<double>(trace.samples()) * visit.length_s() / whole : 0;
  std::vector<double> means, spans;
  for (int i = 0; i < kParts; ++i) {
    const double from = visit.from_s + width * i;
    const double to = i + 1 == kParts ? visit.to_s : from + width;
    // The outer parts end just where the visit does: beside it lies another level. Of a long visit
    // they begin a little inside it, and whole nodes tell them.
    const bool first_part = i == 0, last_part = i + 1 == kParts;
    const double inset = samples > kLong ? width / 16 : 0;
    const bool exact = (first_part || last_part) && inset == 0;
    const double a = first_part ? from + inset : from, b = last_part ? to - inset : to;
    const auto m = exact ? measure(trace, a, b).mean() : mean_about(trace, a, b, 1.0 / 64);
    if (m) means.push_back(*m);
  }
  if (means.empty()) return std::nullopt;
  const double middle = median(means);
  std::vector<double> deviations;
  for (const double m : means) deviations.push_back(std::fabs(m - middle));
  const double limit = 3 * 1.4826 * median(deviations);
  std::size_t first = 0, last = means.size();
  while (last - first > means.size() / 2 && std::fabs(means[first] - middle) > limit) ++first;
  while (last - first > means.size() / 2 && std::fabs(means[last - 1] - middle) > limit) --last;
  Sum total;
  for (std::size_t i = first; i < last; ++i) total += means[i];
  return total.value() / static_cast<double>(last - first);
}

const LedgerRow* Ledger::find(const std::string& state) const {
  for (const LedgerRow& row : rows) {
    if (row.state == state) return &row;
  }
  return nullptr;
}

const LedgerRow* Ledger::longest() const {
  const LedgerRow* best = nullptr;
  for (const LedgerRow& row : rows) {
    if (is_built_in_state(row.state) || row.visits == 0) continue;
    if (!best || row.time_s > best->time_s) best = &row;
  }
  return best;
}

std::vector<Component> mean_components(const LedgerRow& row, const Basis& basis,
                                       bool with_accuracy) {
  std::vector<Component> out;
  if (with_accuracy) out = accuracy_components(basis.accuracy, row.mean.value_or(0));
  if (row.level.n >= 2) out.push_back({row.level.u, row.level.freedom});
  return out;
}

std::vector<Component> charge_per_visit_components(const LedgerRow& row, const Basis& basis,
                                                   bool with_accuracy) {
  std::vector<Component> out;
  const double length = row.visit_length.mean;
  if (with_accuracy) {
    out = accuracy_components(basis.accuracy, row.mean.value_or(0));
    for (Component& c : out) c.u *= length;
  }
  if (row.charge_per_visit.n >= 2) {
    out.push_back({row.charge_per_visit.u, row.charge_per_visit.freedom});
  }
  out.push_back({row.edge_charge_u, 0, true});
  return out;
}

std::vector<Component> visit_length_components(const LedgerRow& row) {
  std::vector<Component> out;
  if (row.visit_length.n >= 2) out.push_back({row.visit_length.u, row.visit_length.freedom});
  out.push_back({row.edge_length_u, 0, true});
  return out;
}

Ledger make_ledger(const std::vector<Account>& accounts, const Basis& basis,
                   const std::vector<std::string>& states) {
  Ledger out;
  out.basis = basis;
  std::map<std::string, Gathering> found;
  for (const std::string& name : states) found[name].row.state = name;
  for (const char* name : {kUnassigned, kMissing}) found[name].row.state = name;
  Sum time, charge, off_charge;
  for (const Account& account : accounts) {
    for (const VisitFigures& f : account.visits) {
      Gathering& g = found[f.visit.state];
      g.row.state = f.visit.state;
      add_visit(g, *account.trace, f);
    }
    time += account.trace->to_s() - account.trace->from_s();
    charge += measure(*account.trace).charge;
  }
  out.time_s = time.value();
  out.charge = charge.value();
  for (auto& [name, g] : found) {
    LedgerRow& row = g.row;
    row.time_s = g.time.value();
    row.charge = g.charge.value();
    const double observed = g.observed.value();
    if (observed > 0) row.mean = row.charge / observed;
    if (g.settled_weight.value() > 0)
      row.settled = g.settled_sum.value() / g.settled_weight.value();
    row.time_share = out.time_s > 0 ? row.time_s / out.time_s : 0;
    row.charge_share = out.charge != 0 ? row.charge / out.charge : 0;
    if (basis.voltage > 0 && name != kMissing) row.energy = row.charge * basis.voltage;
    if (name == kMissing) {
      out.missing_s = row.time_s;
      row.mean.reset();
    }
    if (name == kOff) out.off_s = row.time_s;
    if (name == kOff) off_charge += row.charge;
    finish(row, basis);
    out.lower_bound |= row.lower_bound;
    out.rows.push_back(row);
  }
  // One long stay has no visits to repeat: its batches stand in for them.
  for (LedgerRow& row : out.rows) {
    if (row.level.n < 2 && row.visits == 1 && row.state != kMissing) {
      for (const Account& account : accounts) {
        for (const VisitFigures& f : account.visits) {
          if (f.visit.state == row.state && f.observed_s > 1000 * basis.sample_s &&
              basis.sample_s > 0) {
            row.level = batch_means(*account.trace, f);
          }
        }
      }
    }
    uncertainties(row, basis);
  }
  if (out.observed_s() > 0) {
    out.mean = (out.charge - off_charge.value()) / out.observed_s();
    out.mean_u = combine(accuracy_components(basis.accuracy, *out.mean));
  }
  std::stable_sort(out.rows.begin(), out.rows.end(), [](const LedgerRow& a, const LedgerRow& b) {
    if (order_class(a) != order_class(b)) return order_class(a) < order_class(b);
    return a.charge > b.charge;
  });
  return out;
}

Cycles find_cycles(const Trace& trace, const Visits& visits, const std::string& state) {
  Cycles out;
  out.state = state;
  std::vector<double> periods, charges;
  const Visit* entry = nullptr;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    const Visit& v = visits[i];
    if (v.state == kMissing || v.state == kOff) {
      entry = nullptr;
      continue;
    }
    const bool entered =
        v.state == state && i > 0 && visits[i - 1].state != kMissing && visits[i - 1].state != kOff;
    if (!entered) continue;
    if (entry) {
      periods.push_back(v.from_s - entry->from_s);
      charges.push_back(measure(trace, entry->from_s, v.from_s).charge);
      if (out.count == 0) out.from_s = entry->from_s;
      out.to_s = v.from_s;
      ++out.count;
    }
    entry = &v;
  }
  out.period = repeatability(periods);
  out.charge = repeatability(charges);
  return out;
}

}  // namespace kuvio
