// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/ledger.h"

#include "core/compensated_sum.h"
#include "core/measure.h"
#include "core/quantiles.h"
#include "core/recipe.h"
#include "core/running_integral.h"
#include "core/settled_level.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace kuvio {
namespace {

/// Settled levels of a row's stays, by their lengths.
struct Settled {
  Sum sum;
  double weight = 0, squares = 0;
};

/// Totals of a state while the accounts are read.
struct RowSums {
  LedgerRow row;
  Sum time, charge, observed, energy;
  Settled settled, settled_unknown;
  bool energy_known = true;
  double edges = 0;  // sum of squares of the charges' edge uncertainties
  std::map<std::size_t, std::pair<double, double>> by_capture;  // time observed, charge
};

void add_visit(RowSums& s, const Account& account, std::size_t capture, const VisitFigures& f) {
  LedgerRow& row = s.row;
  row.visits += f.visit.continues ? 0 : 1;
  s.time += f.visit.length_s();
  s.observed += f.observed_s;
  s.charge += f.charge;
  s.energy += f.charge * account.basis.voltage;
  s.energy_known &= account.basis.voltage > 0;
  s.edges += f.charge_u * f.charge_u;
  s.by_capture[capture].first += f.observed_s;
  s.by_capture[capture].second += f.charge;
  row.bounds |= f.bounds;
  if (f.peak) row.peak = row.peak ? std::max(*row.peak, *f.peak) : *f.peak;
  if (f.least) row.least = row.least ? std::min(*row.least, *f.least) : *f.least;
  if (f.visit.whole) {
    ++row.whole_visits;
    row.narrow_visits += f.visit.narrow ? 1 : 0;
    row.whole.push_back({capture, f.charge, f.visit.length_s(), f.peak, account.basis.voltage,
                         f.charge_u, f.length_u_s, f.visit.narrow});
  }
  if (row.state != kMissing) {
    if (const auto level = settled_level(*account.trace, f.visit)) {
      // Stays too short to say how well they are known speak only where there are no others.
      Settled& of = level->u ? s.settled : s.settled_unknown;
      const double weight = f.visit.length_s();
      of.sum += level->level * weight;
      of.weight += weight;
      of.squares += level->u.value_or(0) * level->u.value_or(0) * weight * weight;
    }
  }
}

/// Per-visit figures of a row.
void repeat_visits(LedgerRow& row) {
  std::vector<double> charges, lengths, ones;
  std::vector<std::size_t> captures;
  for (const WholeVisit& v : row.whole) {
    if (v.narrow) continue;
    charges.push_back(v.charge);
    lengths.push_back(v.length);
    ones.push_back(1);
    captures.push_back(v.capture);
  }
  row.level = ratio_over_captures(charges, lengths, captures);
  row.visit_length = ratio_over_captures(lengths, ones, captures);
  row.charge_per_visit = row.repeat([](const WholeVisit& v) { return v.charge; });
  if (row.level.n >= 2) row.spread = row.level.groups > 0 ? SpreadOf::captures : SpreadOf::visits;
  if (row.whole.empty()) return;
  const auto [lo, hi] = std::minmax_element(
      row.whole.begin(), row.whole.end(),
      [](const WholeVisit& a, const WholeVisit& b) { return a.charge < b.charge; });
  row.charge_per_visit_min = lo->charge;
  row.charge_per_visit_max = hi->charge;
}

void repeat_batches(LedgerRow& row, const std::vector<Account>& accounts) {
  if (row.level.n >= 2 || row.visits == 0) return;
  if (row.state == kMissing || row.state == kOff) return;
  std::vector<const Account*> all;
  for (const Account& a : accounts) {
    if (a.trace) all.push_back(&a);
  }
  const Repeatability batches = batch_means(all, row.state);
  if (batches.n < 2) return;
  row.level = batches;
  row.spread = SpreadOf::batches;
}

void close(RowSums& s, const std::vector<Account>& accounts) {
  LedgerRow& row = s.row;
  row.time_s = s.time.value();
  row.charge = s.charge.value();
  const double observed = s.observed.value();
  if (observed > 0 && row.state != kMissing) row.mean = row.charge / observed;
  const bool known = s.settled.weight > 0;
  const Settled& settled = known ? s.settled : s.settled_unknown;
  if (settled.weight > 0) row.settled = settled.sum.value() / settled.weight;
  if (known) row.settled_u = std::sqrt(settled.squares) / settled.weight;
  if (s.energy_known && row.visits > 0 && row.state != kMissing) row.energy = s.energy.value();
  std::vector<WeightedAccuracy> parts;
  for (const auto& [capture, sums] : s.by_capture) {
    const double mean = sums.first > 0 ? sums.second / sums.first : 0;
    parts.push_back({accounts[capture].basis.accuracy, sums.first, mean});
  }
  row.accuracy = pooled_accuracy(parts);
  repeat_visits(row);
  repeat_batches(row, accounts);
  row.mean_u = expand(mean_components(row));
  auto charge = accuracy_components(row.accuracy, row.mean.value_or(0), observed);
  charge.push_back({"edges", std::sqrt(s.edges), {}, Origin::normal});
  row.charge_u = expand(charge);
  row.charge_per_visit_u = expand(charge_per_visit_components(row));
  row.visit_length_u = expand(visit_length_components(row));
}

int order_class(const LedgerRow& row) {
  return row.state == kUnassigned ? 1 : row.state == kOff ? 2 : row.state == kMissing ? 3 : 0;
}

/// What the captures' figures rest on together.
Basis common_basis(const std::vector<Account>& accounts, const std::vector<double>& observed,
                   const std::vector<double>& charges) {
  Basis out = accounts.front().basis;
  std::vector<WeightedAccuracy> parts;
  for (std::size_t i = 0; i < accounts.size(); ++i) {
    if (!accounts[i].trace && accounts.front().trace) continue;
    const Basis& b = accounts[i].basis;
    parts.push_back({b.accuracy, observed[i], observed[i] > 0 ? charges[i] / observed[i] : 0});
    if (b.voltage != out.voltage) out.voltage = 0;
    out.sample_s = std::max(out.sample_s, b.sample_s);
  }
  out.accuracy = pooled_accuracy(parts);
  return out;
}

/// Charge and length of one part of a stay.
struct Batch {
  double charge = 0, length = 0;
};

std::vector<Batch> halved(const std::vector<Batch>& batches) {
  std::vector<Batch> out;
  for (std::size_t i = 0; i + 1 < batches.size(); i += 2)
    out.push_back(
        {batches[i].charge + batches[i + 1].charge, batches[i].length + batches[i + 1].length});
  return out;
}

bool neighbours_go_together(const std::vector<Batch>& batches, double mean) {
  double num = 0, den = 0;
  for (std::size_t i = 0; i < batches.size(); ++i) {
    const double d = batches[i].charge - mean * batches[i].length;
    den += d * d;
    if (i + 1 < batches.size()) num += d * (batches[i + 1].charge - mean * batches[i + 1].length);
  }
  return den > 0 && num / den + 1 / static_cast<double>(batches.size()) > 0.1;
}

}  // namespace

std::string_view to_string(SpreadOf spread) {
  switch (spread) {
    case SpreadOf::none:
      return "none";
    case SpreadOf::visits:
      return "visits";
    case SpreadOf::batches:
      return "batches";
    case SpreadOf::captures:
      return "captures";
    case SpreadOf::readings:
      return "readings";
  }
  return "none";
}

std::optional<double> LedgerRow::tested_mean() const {
  if (level.n >= 2 && spread != SpreadOf::batches) return level.mean;
  return mean;
}

Repeatability batch_means(const std::vector<const Account*>& accounts, const std::string& state) {
  constexpr double kMost = 160, kFewest = 20, kSamples = 5;  // samples in a batch at least
  struct Stretch {
    const Trace* trace;
    double from_s, to_s, samples;
  };
  std::vector<Stretch> stays;
  double length = 0, samples = 0;
  for (const Account* a : accounts) {
    for (const VisitFigures& f : a->visits) {
      if (f.visit.state != state) continue;
      const double from = f.visit.begins.empty() ? f.visit.from_s : f.visit.begins.to_s;
      const double to = f.visit.ends.empty() ? f.visit.to_s : f.visit.ends.from_s;
      if (!(to > from)) continue;
      stays.push_back(
          {a->trace, from, to, static_cast<double>(measure(*a->trace, from, to).samples)});
      length += to - from;
      samples += stays.back().samples;
    }
  }
  const double wanted = std::min(kMost, std::floor(samples / kSamples));
  if (wanted < kFewest) return {};
  std::vector<Batch> batches;
  for (const Stretch& s : stays) {
    const double share = std::round(wanted * (s.to_s - s.from_s) / length);
    const double n = std::min(share, std::floor(s.samples / kSamples));
    for (double i = 0; i < n; ++i) {
      const double from = s.from_s + (s.to_s - s.from_s) * i / n;
      const double to = i + 1 < n ? s.from_s + (s.to_s - s.from_s) * (i + 1) / n : s.to_s;
      const SpanFigures part = measure(*s.trace, from, to);
      if (part.observed_s > 0) batches.push_back({part.charge, part.observed_s});
    }
  }
  const auto repeated = [](const std::vector<Batch>& list) {
    std::vector<double> y, x;
    for (const Batch& b : list) {
      y.push_back(b.charge);
      x.push_back(b.length);
    }
    return ratio_of_sums(y, x);
  };
  Repeatability out = repeated(batches);
  while (static_cast<double>(batches.size()) >= 2 * kFewest &&
         neighbours_go_together(batches, out.mean)) {
    batches = halved(batches);
    out = repeated(batches);
  }
  return out;
}

const LedgerRow* Ledger::find(const std::string& state) const {
  for (const LedgerRow& row : rows) {
    if (row.state == state) return &row;
  }
  return nullptr;
}

bool Ledger::accuracy_stated() const {
  if (captures > 0) return basis.accuracy.stated();
  return std::all_of(rows.begin(), rows.end(), [](const LedgerRow& row) {
    return !row.typed || !row.mean || row.accuracy.stated();
  });
}

const LedgerRow* Ledger::longest() const {
  const LedgerRow* best = nullptr;
  for (const LedgerRow& row : rows) {
    if (is_built_in_state(row.state) || row.visits == 0 || row.typed) continue;
    if (!best || row.time_s > best->time_s) best = &row;
  }
  return best;
}

std::vector<Component> mean_components(const LedgerRow& row, bool with_accuracy) {
  std::vector<Component> out;
  if (with_accuracy) out = accuracy_components(row.accuracy, row.tested_mean().value_or(0));
  if (const auto c = row.level.component("spread of " + std::string(to_string(row.spread))))
    out.push_back(*c);
  return out;
}

std::vector<Component> charge_per_visit_components(const LedgerRow& row, bool with_accuracy) {
  std::vector<Component> out;
  if (row.whole.empty()) return out;
  if (with_accuracy)
    out = accuracy_components(row.accuracy, row.tested_mean().value_or(0), row.visit_length.mean);
  const std::string_view of = row.charge_per_visit.groups > 0 ? "captures" : "visits";
  if (const auto c = row.charge_per_visit.component("spread of " + std::string(of))) {
    out.push_back(*c);
  } else if (!row.typed) {
    out.push_back({"edges", row.whole.front().charge_u, {}, Origin::normal});
  }
  append(out, typed_length_components(row, row.tested_mean().value_or(0)));
  return out;
}

std::vector<Component> typed_length_components(const LedgerRow& row, double weight) {
  std::vector<Component> out;
  if (!row.typed || !row.typed->length.stated()) return out;
  for (const Component& c : accuracy_components(row.typed->length, row.visit_length.mean, weight)) {
    if (c.u > 0) out.push_back({"length as typed", c.u, {}, c.origin});
  }
  return out;
}

std::vector<Component> visit_length_components(const LedgerRow& row) {
  std::vector<Component> out;
  const std::string_view of = row.visit_length.groups > 0 ? "captures" : "visits";
  if (const auto c = row.visit_length.component("spread of " + std::string(of))) {
    out.push_back(*c);
  } else if (!row.whole.empty() && !row.typed) {
    out.push_back({"edges", row.whole.front().length_u, {}, Origin::normal});
  }
  append(out, typed_length_components(row));
  return out;
}

Ledger make_ledger(const std::vector<Account>& accounts, const std::vector<std::string>& states) {
  Ledger out;
  out.captures = static_cast<std::size_t>(std::count_if(
      accounts.begin(), accounts.end(), [](const Account& a) { return a.trace != nullptr; }));
  std::map<std::string, RowSums> found;
  for (const std::string& name : states) found[name].row.state = name;
  for (const char* name : {kUnassigned, kMissing}) found[name].row.state = name;
  Sum time, charge;
  std::vector<double> observed(accounts.size()), charges(accounts.size());
  std::map<std::string, std::size_t> typed;
  for (std::size_t i = 0; i < accounts.size(); ++i) {
    for (const TypedReading& r : accounts[i].typed) {
      found[r.state].row.state = r.state;
      ++typed[r.state];
    }
    if (!accounts[i].trace) continue;
    for (const VisitFigures& f : accounts[i].visits) {
      RowSums& sums = found[f.visit.state];
      sums.row.state = f.visit.state;
      add_visit(sums, accounts[i], i, f);
      out.sequence.push_back(
          {i, f.visit.state, f.visit.whole, f.visit.narrow, f.charge, f.visit.length_s()});
      if (f.visit.state == kOff) continue;
      observed[i] += f.observed_s;
      charges[i] += f.charge;
    }
    time += accounts[i].trace->to_s() - accounts[i].trace->from_s();
    charge += measure(*accounts[i].trace).charge;
  }
  out.time_s = time.value();
  out.charge = charge.value();
  out.basis = common_basis(accounts, observed, charges);
  for (auto& [name, sums] : found) {
    LedgerRow& row = sums.row;
    const bool captured = row.visits > 0;
    close(sums, accounts);
    if (!captured) {
      fill_typed(row, accounts);
    } else if (const auto beside = typed.find(name); beside != typed.end()) {
      row.typed_beside = beside->second;
    }
    row.time_share = out.time_s > 0 ? row.time_s / out.time_s : 0;
    row.charge_share = out.charge != 0 ? row.charge / out.charge : 0;
    if (name == kMissing) out.missing_s = row.time_s;
    if (name == kOff) {
      out.off_s = row.time_s;
      out.off_charge = row.charge;
    }
    out.bounds |= row.bounds;
    out.rows.push_back(row);
  }
  if (out.observed_s() > 0) {
    out.mean = (out.charge - out.off_charge) / out.observed_s();
    out.mean_u = expand(accuracy_components(out.basis.accuracy, *out.mean));
  }
  std::stable_sort(out.rows.begin(), out.rows.end(), [](const LedgerRow& a, const LedgerRow& b) {
    if (order_class(a) != order_class(b)) return order_class(a) < order_class(b);
    if (a.typed && b.typed) return a.charge_per_visit.mean > b.charge_per_visit.mean;
    return a.charge > b.charge;
  });
  return out;
}

}  // namespace kuvio
