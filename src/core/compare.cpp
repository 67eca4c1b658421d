// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace kuvio {
namespace {

bool same_instrument(const Side& a, const Side& b) {
  for (const char* key : {"input", "range", "zeroed"}) {
    const auto x = a.conditions.find(key), y = b.conditions.find(key);
    const std::string vx = x == a.conditions.end() ? "" : x->second;
    const std::string vy = y == b.conditions.end() ? "" : y->second;
    if (vx != vy) return false;
  }
  return a.conditions.count("input") > 0 && a.ledger.basis.accuracy == b.ledger.basis.accuracy;
}

void conclude(Difference& d, const std::vector<Component>& components, double level = 0.95) {
  const Expanded e = combine(components, level);
  d.u = e.u;
  d.freedom = e.freedom;
  d.low = d.value - e.U;
  d.high = d.value + e.U;
  d.p = e.u > 0 ? student_p(d.value / e.u, e.freedom) : d.value == 0 ? 1 : 0;
  d.known = true;
}

/// Components of a difference: the instrument's part, then both sides' own.
std::vector<Component> join(std::vector<Component> instrument, const std::vector<Component>& a,
                            const std::vector<Component>& b) {
  instrument.insert(instrument.end(), a.begin(), a.end());
  instrument.insert(instrument.end(), b.begin(), b.end());
  return instrument;
}

std::vector<Component> instrument_part(bool same, const Basis& a, double reading_a, const Basis& b,
                                       double reading_b, double weight_a = 1, double weight_b = 1) {
  if (same) {
    // One instrument: gain acts on the difference of the charges, offset on that of the lengths.
    Accuracy gain = a.accuracy, offset = a.accuracy;
    gain.offset = 0;
    offset.gain = 0;
    auto out = accuracy_components(gain, reading_a * weight_a - reading_b * weight_b);
    auto more = accuracy_components(offset, 0);
    for (Component& c : more) c.u *= std::fabs(weight_a - weight_b);
    out.insert(out.end(), more.begin(), more.end());
    return out;
  }
  auto out = accuracy_components(a.accuracy, reading_a);
  for (Component& c : out) c.u *= weight_a;
  auto more = accuracy_components(b.accuracy, reading_b);
  for (Component& c : more) c.u *= weight_b;
  out.insert(out.end(), more.begin(), more.end());
  return out;
}

Shown sign_of(const Difference& d) {
  if (d.low > 0) return Shown::higher;
  if (d.high < 0) return Shown::lower;
  return Shown::none;
}

/// Two one-sided tests: the 90 % interval inside the margin shows equality (Schuirmann 1987).
bool within_margin(const Difference& d, double margin) {
  const double half = student_t(d.freedom, 0.90) * d.u;
  return d.value - half > -margin && d.value + half < margin;
}

CompareRow make_row(const std::string& state, const Side& reference, const Side& candidate,
                    bool same) {
  CompareRow row;
  row.state = state;
  const LedgerRow* a = reference.ledger.find(state);
  const LedgerRow* b = candidate.ledger.find(state);
  if (a) row.reference_mean = a->mean;
  if (b) row.candidate_mean = b->mean;
  if (!a || !b || !a->mean || !b->mean) return row;
  const Basis &ba = reference.ledger.basis, &bb = candidate.ledger.basis;

  row.mean.value = *b->mean - *a->mean;
  conclude(row.mean, join(instrument_part(same, ba, *a->mean, bb, *b->mean),
                          mean_components(*a, ba, false), mean_components(*b, bb, false)));
  row.mean.tested = a->whole_visits >= 2 && b->whole_visits >= 2;

  if (a->whole_visits > 0 && b->whole_visits > 0) {
    row.charge_per_visit.value = b->charge_per_visit.mean - a->charge_per_visit.mean;
    conclude(row.charge_per_visit, join(instrument_part(same, ba, *a->mean, bb, *b->mean,
                                                        a->visit_length.mean, b->visit_length.mean),
                                        charge_per_visit_components(*a, ba, false),
                                        charge_per_visit_components(*b, bb, false)));
    row.charge_per_visit.tested = row.mean.tested;
    row.visit_length.value = b->visit_length.mean - a->visit_length.mean;
    conclude(row.visit_length, join({}, visit_length_components(*a), visit_length_components(*b)));
  }
  return row;
}

void total_as_captured(Comparison& out, const Side& reference, const Side& candidate, bool same) {
  const Ledger &a = reference.ledger, &b = candidate.ledger;
  out.reference_mean = a.mean;
  out.candidate_mean = b.mean;
  const double ta = a.observed_s(), tb = b.observed_s();
  for (CompareRow& row : out.rows) {
    if (row.state == kOff || row.state == kMissing) continue;  // neither is in the mean
    const LedgerRow *ra = a.find(row.state), *rb = b.find(row.state);
    row.bridge = (rb && tb > 0 ? rb->charge / tb : 0) - (ra && ta > 0 ? ra->charge / ta : 0);
  }
  if (!a.mean || !b.mean) return;
  out.total.value = *b.mean - *a.mean;
  auto components = instrument_part(same, a.basis, *a.mean, b.basis, *b.mean);
  for (const auto& [ledger, t] : {std::pair{&a, ta}, std::pair{&b, tb}}) {
    for (const LedgerRow& row : ledger->rows) {
      // A capture holds the visits it happened to hold: n visits vary by s sqrt(n).
      if (row.charge_per_visit.n >= 2 && &row != ledger->longest()) {
        const auto n = static_cast<double>(row.charge_per_visit.n);
        components.push_back({row.charge_per_visit.u * n / t, row.charge_per_visit.freedom});
      }
    }
  }
  conclude(out.total, components);
}

void total_in_field(Comparison& out, const Side& reference, const Side& candidate, bool same,
                    const DutyPlan& plan) {
  out.field = true;
  const FieldMean a = field_mean(plan, reference.ledger), b = field_mean(plan, candidate.ledger);
  out.missing = a.missing;
  for (const std::string& state : b.missing) {
    if (std::find(out.missing.begin(), out.missing.end(), state) == out.missing.end()) {
      out.missing.push_back(state);
    }
  }
  if (!out.missing.empty()) return;
  out.reference_mean = a.mean;
  out.candidate_mean = b.mean;
  const auto part = [](const FieldMean& mean, const std::string& state) {
    double sum = 0;
    for (const Share& s : mean.shares) sum += s.state == state ? s.current : 0;
    return sum;
  };
  for (CompareRow& row : out.rows) row.bridge = part(b, row.state) - part(a, row.state);
  out.total.value = b.mean - a.mean;
  conclude(out.total, join(instrument_part(same, reference.ledger.basis, a.mean,
                                           candidate.ledger.basis, b.mean),
                           a.repeat, b.repeat));
}

}  // namespace

std::string_view to_string(Shown shown) {
  switch (shown) {
    case Shown::higher:
      return "higher";
    case Shown::lower:
      return "lower";
    case Shown::equal:
      return "equal";
    case Shown::none:
      return "none";
    case Shown::single_visit:
      return "single-visit";
  }
  return "none";
}

std::vector<Unlike> unlike_conditions(const Conditions& reference, const Conditions& candidate) {
  static const std::set<std::string> kNotCompared{"note", "recorded_by", "file"};
  std::set<std::string> keys;
  for (const auto& [key, value] : reference) keys.insert(key);
  for (const auto& [key, value] : candidate) keys.insert(key);
  std::vector<Unlike> out;
  for (const std::string& key : keys) {
    if (kNotCompared.count(key)) continue;
    const auto a = reference.find(key), b = candidate.find(key);
    const std::string va = a == reference.end() ? "" : a->second;
    const std::string vb = b == candidate.end() ? "" : b->second;
    if (va != vb) out.push_back({key, va, vb});
  }
  return out;
}

void holm(std::vector<Difference*> tests) {
  std::erase_if(tests, [](const Difference* d) { return !d->tested; });
  std::sort(tests.begin(), tests.end(),
            [](const Difference* a, const Difference* b) { return a->p < b->p; });
  const std::size_t m = tests.size();
  std::size_t rejected = 0;
  while (rejected < m && tests[rejected]->p <= 0.05 / static_cast<double>(m - rejected)) ++rejected;
  for (std::size_t i = 0; i < m; ++i) {
    const auto left = static_cast<double>(m - std::min(i, rejected));
    Difference& d = *tests[i];
    const double half = student_t(d.freedom, 1 - 0.05 / left) * d.u;
    d.low = d.value - half;
    d.high = d.value + half;
  }
}

Comparison compare(const Side& reference, const Side& candidate, const CompareSettings& settings) {
  Comparison out;
  out.reference = reference.name;
  out.candidate = candidate.name;
  out.unlike = unlike_conditions(reference.conditions, candidate.conditions);
  const bool same = same_instrument(reference, candidate);
  const LedgerRow* rest = reference.ledger.longest();

  std::vector<std::string> states;
  for (const Ledger* ledger : {&reference.ledger, &candidate.ledger}) {
    for (const LedgerRow& row : ledger->rows) {
      if (std::find(states.begin(), states.end(), row.state) == states.end())
        states.push_back(row.state);
    }
  }
  for (const std::string& state : states)
    out.rows.push_back(make_row(state, reference, candidate, same));

  std::vector<Difference*> tests;
  for (CompareRow& row : out.rows) {
    if (is_built_in_state(row.state)) continue;
    tests.push_back(&row.mean);
    if (!rest || row.state != rest->state) tests.push_back(&row.charge_per_visit);
  }
  holm(tests);

  for (CompareRow& row : out.rows) {
    if (is_built_in_state(row.state) || !row.mean.known) continue;
    if (!row.mean.tested) {
      row.shown = Shown::single_visit;
      continue;
    }
    const bool per_visit = !rest || row.state != rest->state;
    const Shown by_charge = per_visit ? sign_of(row.charge_per_visit) : Shown::none;
    row.by_charge = by_charge != Shown::none;
    row.shown = row.by_charge ? by_charge : sign_of(row.mean);
    if (row.shown == Shown::none && settings.equal_within) {
      const bool level =
          within_margin(row.mean, *settings.equal_within * std::fabs(*row.reference_mean));
      const double q = reference.ledger.find(row.state)->charge_per_visit.mean;
      const bool charge =
          !per_visit || within_margin(row.charge_per_visit, *settings.equal_within * std::fabs(q));
      if (level && charge) row.shown = Shown::equal;
    }
  }
  if (settings.duty) {
    total_in_field(out, reference, candidate, same, *settings.duty);
  } else {
    total_as_captured(out, reference, candidate, same);
  }
  if (out.total.known) {
    out.total_shown = sign_of(out.total);
    if (out.total_shown == Shown::none && settings.equal_within &&
        within_margin(out.total, *settings.equal_within * std::fabs(*out.reference_mean))) {
      out.total_shown = Shown::equal;
    }
  }
  return out;
}

}  // namespace kuvio
