// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/budget.h"

#include "core/ledger.h"
#include "core/quantiles.h"
#include "core/recipe.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace kuvio {
namespace {

struct Reading {
  std::optional<double> value;
  std::vector<Component> components;
  std::optional<PercentileBounds> percentile;  ///< instead of an interval by components
  Bounds bounds;
  bool single_visit = false, accuracy_stated = true;
  std::size_t visits = 0;
  std::string note;
};

std::string names(const std::vector<std::string>& list) {
  std::string out;
  for (const std::string& name : list) out += (out.empty() ? "" : ", ") + name;
  return out;
}

void add_note(std::string& note, const std::string& more) {
  note += (note.empty() ? "" : "; ") + more;
}

/// Mean of a row's energy per visit, each visit at its own capture's voltage.
void read_energy(const LedgerRow& row, Reading& out) {
  const bool known = std::all_of(row.whole.begin(), row.whole.end(),
                                 [](const WholeVisit& v) { return v.voltage > 0; });
  if (row.whole.empty()) return;
  if (!known) {
    out.note = "the supply voltage is not known";
    return;
  }
  const Repeatability energy = row.repeat([](const WholeVisit& v) { return v.charge * v.voltage; });
  out.value = energy.mean;
  out.note = row.typed ? "at the voltage as typed or nominal" : "at the nominal supply voltage";
  const double charge = row.charge_per_visit.mean;
  const double volts = charge != 0 ? energy.mean / charge : row.whole.front().voltage;
  out.components = scaled(
      accuracy_components(row.accuracy, row.tested_mean().value_or(0), row.visit_length.mean),
      volts);
  if (const auto c = energy.component("spread of visits")) {
    out.components.push_back(*c);
  } else {
    out.components.push_back({"edges", row.whole.front().charge_u * volts, {}, Origin::normal});
  }
  append(out.components, typed_length_components(row, row.tested_mean().value_or(0) * volts));
  if (row.typed) append(out.components, accuracy_components(row.typed->voltage, volts, charge));
}

void read_mean_current(const LedgerRow& row, Reading& out) {
  out.value = row.tested_mean();
  out.components = mean_components(row);
  out.bounds.lower |= row.all_narrow();
}

void read_charge(const LedgerRow& row, Reading& out) {
  if (!row.whole.empty()) out.value = row.charge_per_visit.mean;
  out.components = charge_per_visit_components(row);
}

void read_length(const LedgerRow& row, Reading& out) {
  if (row.visit_length.n > 0) out.value = row.visit_length.mean;
  out.components = visit_length_components(row);
}

void read_mean_of_peaks(const LedgerRow& row, Reading& out) {
  if (std::none_of(row.whole.begin(), row.whole.end(), [](const auto& v) { return v.peak; }))
    return;
  const Repeatability mean = row.repeat([](const WholeVisit& v) { return v.peak.value_or(0); });
  out.value = mean.mean;
  out.components = accuracy_components(row.peak_accuracy(), mean.mean);
  if (const auto c = mean.component("spread of visits")) out.components.push_back(*c);
}

std::vector<Component> accuracy_of(const LedgerRow& row, double value) {
  return accuracy_components(row.accuracy, value);
}

/// The largest u of what an edge inside a sample leaves open, over the whole visits.
double largest_edge_u(const LedgerRow& row, double WholeVisit::*u) {
  double out = 0;
  for (const WholeVisit& v : row.whole) out = std::max(out, v.*u);
  return out;
}

std::vector<Component> edges_of_charge(const LedgerRow& row, double) {
  auto out =
      accuracy_components(row.accuracy, row.tested_mean().value_or(0), row.visit_length.mean);
  out.push_back({"edges", largest_edge_u(row, &WholeVisit::charge_u), {}, Origin::normal});
  append(out, typed_length_components(row, row.tested_mean().value_or(0)));
  return out;
}

std::vector<Component> edges_of_energy(const LedgerRow& row, double value) {
  const double charge = row.charge_per_visit.mean;
  return scaled(edges_of_charge(row, value), charge != 0 ? value / charge : 0);
}

std::vector<Component> edges_of_length(const LedgerRow& row, double) {
  std::vector<Component> out{
      {"edges", largest_edge_u(row, &WholeVisit::length_u), {}, Origin::normal}};
  append(out, typed_length_components(row));
  return out;
}

/// Whether the instrument's part of a figure is known.
bool accuracy_stated(const LedgerRow& row, LimitQuantity quantity) {
  const bool length = !row.typed || row.typed->length.stated();
  switch (quantity) {
    case LimitQuantity::visit_length:
      return length;
    case LimitQuantity::peak_current:
      return row.peak_accuracy().stated();
    case LimitQuantity::charge_per_visit:
    case LimitQuantity::energy_per_visit:
      return row.accuracy.stated() && length;
    default:
      return row.accuracy.stated();
  }
}

/// How a quantity is read off a state's row.
struct StateReading {
  LimitQuantity id;
  void (*mean)(const LedgerRow&, Reading&);  ///< over the visits
  /// Of one whole visit; nothing where it has none.
  std::optional<double> (*of_visit)(const WholeVisit&);
  /// What is not known of one visit's value: the instrument's and the edges' part.
  std::vector<Component> (*one_visit)(const LedgerRow&, double value);
};

using Value = std::optional<double>;

constexpr StateReading kReadings[] = {
    {LimitQuantity::mean_current, read_mean_current,
     [](const WholeVisit& v) {
       return !v.narrow && v.length > 0 ? Value(v.charge / v.length) : Value();
     },
     accuracy_of},
    {LimitQuantity::charge_per_visit, read_charge,
     [](const WholeVisit& v) { return Value(v.charge); }, edges_of_charge},
    {LimitQuantity::energy_per_visit, read_energy,
     [](const WholeVisit& v) { return v.voltage > 0 ? Value(v.charge * v.voltage) : Value(); },
     edges_of_energy},
    {LimitQuantity::visit_length, read_length,
     [](const WholeVisit& v) { return v.narrow ? Value() : Value(v.length); }, edges_of_length},
    {LimitQuantity::peak_current, read_mean_of_peaks, [](const WholeVisit& v) { return v.peak; },
     accuracy_of},
};

/// Null for what no state has: a lifetime.
const StateReading* reading_of(LimitQuantity quantity) {
  const auto* it = std::find_if(std::begin(kReadings), std::end(kReadings),
                                [&](const StateReading& r) { return r.id == quantity; });
  return it == std::end(kReadings) ? nullptr : it;
}

Reading read_state(const Limit& limit, const Ledger& ledger) {
  Reading out;
  const LedgerRow* row = ledger.find(limit.state);
  if (!row || row->visits == 0) {
    out.note = "no visit to " + limit.state;
    if (row) out.bounds = row->bounds;
    return out;
  }
  out.bounds = row->bounds;
  out.single_visit = row->single_visit();
  out.accuracy_stated = accuracy_stated(*row, limit.quantity);
  const StateReading* reading = reading_of(limit.quantity);
  if (!reading) {
    out.note = "lifetime applies to the field, not to a state";
  } else if (limit.statistic == Statistic::mean) {
    reading->mean(*row, out);
  } else if (limit.statistic == Statistic::worst && limit.quantity == LimitQuantity::peak_current) {
    // Every stay has a peak, cut ones too.
    out.value = row->peak;
    out.visits = row->visits;
    if (out.value) out.components = accuracy_components(row->peak_accuracy(), *out.value);
  } else {
    std::vector<double> values;
    for (const WholeVisit& v : row->whole) {
      if (const auto value = reading->of_visit(v)) values.push_back(*value);
    }
    out.visits = values.size();
    if (!values.empty()) {
      const double largest = *std::max_element(values.begin(), values.end());
      out.value = limit.statistic == Statistic::worst ? largest : quantile(values, 0.95);
      out.components = reading->one_visit(*row, *out.value);
      if (limit.statistic == Statistic::p95) out.percentile = p95_bounds(values);
    }
  }
  if (!out.value && out.note.empty()) out.note = "no whole visit to " + limit.state;
  if (out.value && row->typed) add_note(out.note, "typed by hand");
  if (out.value && row->all_narrow()) add_note(out.note, "visits are narrower than a sample");
  if (out.value && limit.statistic == Statistic::worst && out.visits > 0)
    add_note(out.note, fmt::format("the largest of the {} seen", out.visits));
  return out;
}

Reading read_whole(const Limit& limit, const Ledger& ledger) {
  Reading out;
  out.bounds = ledger.bounds;
  out.accuracy_stated = ledger.basis.accuracy.stated();
  const Accuracy* accuracy = &ledger.basis.accuracy;
  if (limit.quantity == LimitQuantity::mean_current) {
    out.value = ledger.mean;
  } else if (limit.quantity == LimitQuantity::peak_current) {
    for (const LedgerRow& row : ledger.rows) {
      if (!row.peak || row.state == kOff) continue;
      if (out.value && *out.value >= *row.peak) continue;
      out.value = row.peak;
      accuracy = &row.peak_accuracy();
    }
  }
  if (out.value) {
    out.components = accuracy_components(*accuracy, *out.value);
  } else {
    out.note = "the capture holds no samples";
  }
  return out;
}

void judge(const Limit& limit, LimitResult& out) {
  if (!out.measured) return;
  constexpr double kEver = std::numeric_limits<double>::infinity();
  out.verdict = Verdict::within;
  if (limit.max) {
    out.headroom = *limit.max - *out.measured;
    out.verdict =
        judge_upper(out.low.value_or(-kEver), out.high.value_or(kEver), *limit.max, out.bounds);
  }
  if (limit.min) {
    out.headroom = *out.measured - *limit.min;
    out.verdict = worse(out.verdict, judge_lower(out.low.value_or(-kEver), out.high.value_or(kEver),
                                                 *limit.min, out.bounds));
  }
}

/// How many visits would settle a verdict that is too close by their scatter alone, were the mean
/// to stay; nothing when no number would, or very many.
std::optional<std::size_t> needed_visits(const Limit& limit, const LimitResult& r,
                                         std::size_t visits) {
  if (!r.measured || r.verdict != Verdict::too_close || visits < 2) return std::nullopt;
  const double distance = std::fabs(limit.max.value_or(limit.min.value_or(0)) - *r.measured);
  for (std::size_t n = visits + 1; n <= 10000; n += std::max<std::size_t>(1, n / 20)) {
    std::vector<Component> then = r.components;
    for (Component& c : then) {
      if (c.origin != Origin::scatter || !c.freedom) continue;
      c.u *= std::sqrt(static_cast<double>(visits) / static_cast<double>(n));
      c.freedom = *c.freedom * static_cast<double>(n) / static_cast<double>(visits);
    }
    if (expand(then).U <= distance) return n;
  }
  return std::nullopt;
}

LimitResult held(const Limit& limit, const Reading& reading, const Ledger& ledger) {
  LimitResult out;
  out.limit = &limit;
  out.note = reading.note;
  out.measured = reading.value;
  out.bounds = reading.bounds;
  if (!reading.value) return out;
  out.components = reading.components;
  out.visits = reading.visits;
  out.single_visit = reading.single_visit;
  out.accuracy_stated = reading.accuracy_stated;
  const Expanded e = expand(reading.components);
  out.U = e.U;
  out.coverage_factor = e.coverage_factor;
  out.low = *reading.value - e.U;
  out.high = *reading.value + e.U;
  if (reading.percentile) {
    out.coverage_factor = 0;
    out.low =
        reading.percentile->low ? std::optional(*reading.percentile->low - e.U) : std::nullopt;
    out.high =
        reading.percentile->high ? std::optional(*reading.percentile->high + e.U) : std::nullopt;
    if (out.low && out.high) out.U = (*out.high - *out.low) / 2;
  }
  judge(limit, out);
  if (out.verdict == Verdict::too_close && reading.percentile && reading.visits < kNeededForP95) {
    out.needed_visits = kNeededForP95;
    add_note(out.note, fmt::format("{} of the {} visits that a 95th percentile needs",
                                   reading.visits, kNeededForP95));
  } else if (limit.statistic == Statistic::mean && limit.scope == Scope::state) {
    const LedgerRow* row = ledger.find(limit.state);
    out.needed_visits = needed_visits(limit, out, row ? row->whole_visits : 0);
  }
  if (reading.single_visit) add_note(out.note, "single visit: accuracy and edges only");
  return out;
}

LimitResult field_result(const Limit& limit, const Ledger& ledger, std::vector<Unnamed>& unnamed) {
  LimitResult out;
  out.limit = &limit;
  const FieldMean field = field_mean(*limit.duty, ledger);
  out.bounds = field.bounds;
  for (const Unnamed& u : field.unnamed) {
    if (std::none_of(unnamed.begin(), unnamed.end(),
                     [&](const Unnamed& have) { return have.state == u.state; }))
      unnamed.push_back(u);
  }
  if (!field.missing.empty()) {
    out.note = "no visit to " + names(field.missing);
    return out;
  }
  out.single_visit = !field.single.empty();
  out.accuracy_stated = field.accuracy_stated;
  out.components = field.components;
  out.coverage_factor = field.mean_u.coverage_factor;
  if (limit.quantity == LimitQuantity::mean_current) {
    out.measured = field.mean;
    out.U = field.mean_u.U;
    out.low = field.mean - out.U;
    out.high = field.mean + out.U;
  } else {
    const LifeInterval life = life_interval(field, *limit.battery);
    out.bounds = life.bounds;
    if (!life.life || !life.low) {
      out.note = "the mean current is zero: no lifetime";
      return out;
    }
    out.measured = life.life;
    out.low = life.low;
    out.high = life.high;
    out.U = life.high ? (*life.high - *life.low) / 2 : *life.life - *life.low;
  }
  judge(limit, out);
  if (!field.single.empty()) add_note(out.note, "single visit to " + names(field.single));
  if (field.open()) {
    add_note(out.note, "the plan does not name all that was captured");
    if (out.verdict == Verdict::within) out.verdict = Verdict::too_close;
  }
  return out;
}

}  // namespace

std::optional<double> allowed_peak(const Budget& budget) {
  std::optional<double> out;
  for (const Limit& limit : budget.limits) {
    if (limit.quantity != LimitQuantity::peak_current || !limit.max) continue;
    out = std::max(out.value_or(*limit.max), *limit.max);
  }
  return out;
}

std::string Limit::name() const {
  const std::string who = scope == Scope::state   ? state
                          : scope == Scope::field ? "Field"
                                                  : "Whole capture";
  const std::string which =
      statistic == info(quantity).usual ? "" : ", " + std::string(info(statistic).name);
  return who + ": " + std::string(info(quantity).name) + which;
}

CheckResult check(const Budget& budget, const Ledger& ledger) {
  CheckResult out;
  for (const Limit& limit : budget.limits) {
    LimitResult result = limit.scope == Scope::field ? field_result(limit, ledger, out.unnamed)
                         : limit.scope == Scope::state
                             ? held(limit, read_state(limit, ledger), ledger)
                             : held(limit, read_whole(limit, ledger), ledger);
    // An uncertainty that leaves the instrument out is said with whatever rests on it.
    if (result.measured && !result.accuracy_stated) add_note(result.note, "accuracy not stated");
    if (result.measured && result.bounds.any())
      add_note(result.note, result.bounds.lower && result.bounds.upper ? "clipped on both sides"
                            : result.bounds.lower                      ? "clipped: at least"
                                                                       : "clipped: at most");
    out.limits.push_back(std::move(result));
    out.verdict = worse(out.verdict, out.limits.back().verdict);
  }
  return out;
}

}  // namespace kuvio
