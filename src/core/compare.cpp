// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare.h"

#include "core/differences.h"
#include "core/recipe.h"
#include "core/step_down.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace kuvio {
namespace {

constexpr double kSingleShare = 0.1;  // of the charge, in states visited once

std::vector<Component> together(std::vector<Component> instrument, const std::vector<Component>& a,
                                const std::vector<Component>& b) {
  append(instrument, a);
  append(instrument, b);
  return instrument;
}

CompareRow make_row(const std::string& state, const Side& reference, const Side& candidate,
                    const Instruments& instruments) {
  CompareRow row;
  row.state = state;
  const LedgerRow* a = reference.ledger.find(state);
  const LedgerRow* b = candidate.ledger.find(state);
  if (a) row.reference_mean = a->tested_mean();
  if (b) row.candidate_mean = b->tested_mean();
  if (!row.reference_mean || !row.candidate_mean) return row;
  const double ma = *row.reference_mean, mb = *row.candidate_mean;
  if (state == kOff) return row;  // the instrument alone: no state of a build
  const Bounds bounds = bounds_of_difference(a->bounds, b->bounds);

  row.mean.value = mb - ma;
  row.mean.bounds = bounds;
  set_interval(row.mean, together(instrument_part(instruments, {pair_of(*a, ma, 1, *b, mb, 1)}),
                                  mean_components(*a, false), mean_components(*b, false)));
  row.mean.tested = !is_built_in_state(state) && !a->single_visit() && !b->single_visit();
  if (a->whole.empty() || b->whole.empty()) return row;

  const double da = a->visit_length.mean, db = b->visit_length.mean;
  row.charge_per_visit.value = b->charge_per_visit.mean - a->charge_per_visit.mean;
  row.charge_per_visit.bounds = bounds;
  set_interval(
      row.charge_per_visit,
      together(instrument_part(instruments, {pair_of(*a, ma, da, *b, mb, db)}),
               charge_per_visit_components(*a, false), charge_per_visit_components(*b, false)));
  row.charge_per_visit.tested = row.mean.tested;
  row.visit_length.value = db - da;
  row.visit_length.bounds = bounds;
  set_interval(row.visit_length,
               together({}, visit_length_components(*a), visit_length_components(*b)));
  return row;
}

/// How a capture's mean varies from the visits that it happened to hold, as many as they were: a
/// visit that draws more than the rest would have takes from the rest's time. Of three captures and
/// more, what the captures' means show themselves.
std::vector<Component> scatter_as_captured(const Ledger& ledger) {
  std::vector<double> charges(ledger.captures), times(ledger.captures);
  std::vector<std::size_t> captures(ledger.captures);
  for (const Passed& p : ledger.sequence) {
    if (p.state == kOff || p.state == kMissing) continue;
    charges[p.capture] += p.charge;
    times[p.capture] += p.length;
  }
  for (std::size_t i = 0; i < captures.size(); ++i) captures[i] = i;
  const double time = ledger.observed_s();
  std::vector<Component> out;
  if (ledger.captures >= kCapturesOfBuild) {
    if (const auto c =
            ratio_over_captures(charges, times, captures).component("spread of captures"))
      out.push_back(*c);
    return out;
  }
  const LedgerRow* rest = ledger.longest();
  const double level = rest ? rest->tested_mean().value_or(0) : 0;
  for (const LedgerRow& row : ledger.rows) {
    if (row.state == kOff || row.state == kMissing) continue;
    if (&row == rest) {
      if (const auto c = row.level.component("spread of " + row.state, row.time_s / time))
        out.push_back(*c);
      continue;
    }
    const Repeatability spread =
        row.repeat([&](const WholeVisit& v) { return v.charge - level * v.length; });
    if (const auto c =
            spread.component("spread of " + row.state, static_cast<double>(row.visits) / time))
      out.push_back(*c);
  }
  return out;
}

/// States that carry charge on a single visit, and how much of it.
double share_of_single(const Ledger& ledger, std::vector<std::string>& names) {
  double share = 0;
  const LedgerRow* rest = ledger.longest();
  for (const LedgerRow& row : ledger.rows) {
    if (&row == rest || is_built_in_state(row.state) || row.visits == 0) continue;
    if (!row.single_visit()) continue;
    share += std::fabs(row.charge_share);
    if (std::find(names.begin(), names.end(), row.state) == names.end()) names.push_back(row.state);
  }
  return share;
}

void total_as_captured(Comparison& out, const Side& reference, const Side& candidate,
                       const Instruments& instruments) {
  const Ledger &a = reference.ledger, &b = candidate.ledger;
  out.reference_mean = a.mean;
  out.candidate_mean = b.mean;
  const double ta = a.observed_s(), tb = b.observed_s();
  std::vector<ReadingPair> readings;
  for (CompareRow& row : out.rows) {
    if (row.state == kOff || row.state == kMissing) continue;  // neither is in the mean
    const LedgerRow *ra = a.find(row.state), *rb = b.find(row.state);
    row.bridge = (rb && tb > 0 ? rb->charge / tb : 0) - (ra && ta > 0 ? ra->charge / ta : 0);
    readings.push_back({ra ? ra->mean.value_or(0) : 0, ra && ta > 0 ? ra->time_s / ta : 0,
                        rb ? rb->mean.value_or(0) : 0, rb && tb > 0 ? rb->time_s / tb : 0,
                        (ra ? ra->accuracy : a.basis.accuracy).at(ra ? ra->mean.value_or(0) : 0),
                        (rb ? rb->accuracy : b.basis.accuracy).at(rb ? rb->mean.value_or(0) : 0)});
  }
  if (!a.mean || !b.mean) return;
  out.total.value = *b.mean - *a.mean;
  out.total.bounds = bounds_of_difference(a.bounds, b.bounds);
  set_interval(out.total, together(instrument_part(instruments, readings), scatter_as_captured(a),
                                   scatter_as_captured(b)));
  out.total.tested = true;
  const double single = std::max(share_of_single(a, out.single), share_of_single(b, out.single));
  if (single > kSingleShare) {
    out.total.tested = false;
    out.total_conclusion = Conclusion::single_visit;
  }
}

void total_in_field(Comparison& out, const Side& reference, const Side& candidate,
                    const Instruments& instruments, const DutyPlan& plan) {
  out.field = true;
  const FieldMean a = field_mean(plan, reference.ledger), b = field_mean(plan, candidate.ledger);
  out.unnamed_reference = a.unnamed;
  out.unnamed_candidate = b.unnamed;
  out.missing = a.missing;
  for (const std::string& state : b.missing) {
    if (std::find(out.missing.begin(), out.missing.end(), state) == out.missing.end())
      out.missing.push_back(state);
  }
  if (!out.missing.empty()) return;
  out.reference_mean = a.mean;
  out.candidate_mean = b.mean;
  out.single = a.single;
  const auto part = [](const FieldMean& mean, const std::string& state) {
    double sum = 0;
    for (const Share& s : mean.shares) sum += s.state == state ? s.current : 0;
    return sum;
  };
  std::vector<ReadingPair> readings;
  for (CompareRow& row : out.rows) {
    const double ca = part(a, row.state), cb = part(b, row.state);
    row.bridge = cb - ca;
    const LedgerRow *ra = reference.ledger.find(row.state), *rb = candidate.ledger.find(row.state);
    if (!ra || !rb || (ca == 0 && cb == 0)) continue;
    const double ma = ra->tested_mean().value_or(0), mb = rb->tested_mean().value_or(0);
    readings.push_back(pair_of(*ra, ma, ma != 0 ? ca / ma : 0, *rb, mb, mb != 0 ? cb / mb : 0));
  }
  out.total.value = b.mean - a.mean;
  out.total.bounds = bounds_of_difference(a.bounds, b.bounds);
  set_interval(out.total, together(instrument_part(instruments, readings), a.scatter, b.scatter));
  out.total.tested = true;
}

Conclusion conclusion_of(const Difference& d) {
  if (!d.rejected) return Conclusion::none;
  // What was clipped may lie on the other side of zero.
  if (d.value > 0) return d.bounds.upper ? Conclusion::none : Conclusion::higher;
  return d.bounds.lower ? Conclusion::none : Conclusion::lower;
}

void show_row(CompareRow& row, const Side& reference, bool per_visit,
              const CompareSettings& settings) {
  if (is_built_in_state(row.state) || !row.mean.known) return;
  if (!row.mean.tested) {
    row.conclusion = Conclusion::single_visit;
    return;
  }
  const Conclusion by_charge = per_visit ? conclusion_of(row.charge_per_visit) : Conclusion::none;
  row.by_charge = by_charge != Conclusion::none;
  row.conclusion = row.by_charge ? by_charge : conclusion_of(row.mean);
  if (!settings.equal_within) return;
  const double margin = *settings.equal_within;
  const double charge = reference.ledger.find(row.state)->charge_per_visit.mean;
  const bool level = within_margin(row.mean, margin * std::fabs(*row.reference_mean));
  const bool visit = !per_visit || within_margin(row.charge_per_visit, margin * std::fabs(charge));
  if (level && visit) {
    row.conclusion = Conclusion::equal;
    row.by_charge = false;
  }
}

/// States of both, in the order they are met.
std::vector<std::string> states_of(const Ledger& reference, const Ledger& candidate) {
  std::vector<std::string> out;
  for (const Ledger* ledger : {&reference, &candidate}) {
    for (const LedgerRow& row : ledger->rows) {
      if (std::find(out.begin(), out.end(), row.state) == out.end()) out.push_back(row.state);
    }
  }
  return out;
}

/// What is left of two equal numbers is no step of the bridge.
void drop_rounding(Comparison& c) {
  const double least = 1e-12 * std::max(std::fabs(c.reference_mean.value_or(0)),
                                        std::fabs(c.candidate_mean.value_or(0)));
  for (CompareRow& row : c.rows) {
    for (double* part : {&row.bridge, &row.level_part, &row.length_part}) {
      if (std::fabs(*part) < least) *part = 0;
    }
  }
}

/// Holm's step-down over states, total and same use together.
void test_all(Comparison& c) {
  std::vector<Difference*> tests;
  for (CompareRow& row : c.rows) {
    tests.push_back(&row.mean);
    tests.push_back(&row.charge_per_visit);
  }
  tests.push_back(&c.total);
  if (c.same_use) tests.push_back(&c.same_use->difference);
  holm(tests);
  c.tests = static_cast<std::size_t>(
      std::count_if(tests.begin(), tests.end(), [](const Difference* d) { return d->tested; }));
}

Conclusion shown_within(const Difference& d, double reference, const CompareSettings& settings) {
  if (settings.equal_within && within_margin(d, *settings.equal_within * std::fabs(reference)))
    return Conclusion::equal;
  return conclusion_of(d);
}

}  // namespace

std::string_view to_string(Conclusion conclusion) {
  switch (conclusion) {
    case Conclusion::higher:
      return "higher";
    case Conclusion::lower:
      return "lower";
    case Conclusion::equal:
      return "equal";
    case Conclusion::none:
      return "none";
    case Conclusion::single_visit:
      return "single-visit";
  }
  return "none";
}

bool Comparison::worse() const {
  return total_conclusion == Conclusion::higher ||
         (same_use && same_use->conclusion == Conclusion::higher) ||
         std::any_of(rows.begin(), rows.end(),
                     [](const CompareRow& r) { return r.conclusion == Conclusion::higher; });
}

bool Comparison::open() const {
  return !missing.empty() || too_much_unnamed(unnamed_reference) ||
         too_much_unnamed(unnamed_candidate) || total.bounds.lower ||
         std::any_of(rows.begin(), rows.end(), [](const CompareRow& r) {
           return r.mean.bounds.lower || r.charge_per_visit.bounds.lower;
         });
}

std::vector<ConditionMismatch> unlike_conditions(const Conditions& reference,
                                                 const Conditions& candidate) {
  static const std::set<std::string> kNotCompared{"note", "recorded_by", "file"};
  std::set<std::string> keys;
  for (const auto& [key, value] : reference) keys.insert(key);
  for (const auto& [key, value] : candidate) keys.insert(key);
  std::vector<ConditionMismatch> out;
  for (const std::string& key : keys) {
    if (kNotCompared.count(key)) continue;
    const auto a = reference.find(key), b = candidate.find(key);
    const std::string va = a == reference.end() ? "" : a->second;
    const std::string vb = b == candidate.end() ? "" : b->second;
    if (va != vb) out.push_back({key, va, vb});
  }
  return out;
}

void holm(std::vector<Difference*> tests, double level) {
  std::erase_if(tests, [](const Difference* d) { return !d->tested; });
  std::vector<double> p;
  for (const Difference* d : tests) p.push_back(d->p);
  const std::vector<bool> hold = step_down(p, level);
  for (std::size_t i = 0; i < tests.size(); ++i) tests[i]->rejected = hold[i];
}

Comparison compare(const Side& reference, const Side& candidate, const CompareSettings& settings) {
  Comparison out;
  out.reference = reference.name;
  out.candidate = candidate.name;
  out.unlike = unlike_conditions(reference.conditions, candidate.conditions);
  out.of_builds =
      std::min(reference.ledger.captures, candidate.ledger.captures) >= kCapturesOfBuild;
  out.accuracy_stated = reference.ledger.accuracy_stated() && candidate.ledger.accuracy_stated();
  const Instruments instruments = instruments_of(reference, candidate);
  const LedgerRow* rest = reference.ledger.longest();
  const auto per_visit = [&](const CompareRow& row) { return !rest || row.state != rest->state; };

  for (const std::string& state : states_of(reference.ledger, candidate.ledger))
    out.rows.push_back(make_row(state, reference, candidate, instruments));
  for (CompareRow& row : out.rows) {
    if (!per_visit(row)) row.charge_per_visit.tested = false;
  }
  if (settings.duty) {
    total_in_field(out, reference, candidate, instruments, *settings.duty);
  } else {
    total_as_captured(out, reference, candidate, instruments);
  }
  const DutyPlan plan =
      settings.duty ? *settings.duty : pooled_plan(reference.ledger, candidate.ledger);
  if (!plan.activities.empty())
    out.same_use = same_use(reference, candidate, plan, instruments, out.rows);

  drop_rounding(out);
  test_all(out);
  for (CompareRow& row : out.rows) show_row(row, reference, per_visit(row), settings);
  const double mean = out.reference_mean.value_or(0);
  if (out.total.known && out.total.tested)
    out.total_conclusion = shown_within(out.total, mean, settings);
  if (out.same_use)
    out.same_use->conclusion = shown_within(out.same_use->difference, mean, settings);
  return out;
}

}  // namespace kuvio
