// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/duty.h"

#include "core/plan_terms.h"
#include "core/recipe.h"
#include "core/rounds.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio {
namespace {

bool contains(const std::vector<std::string>& list, const std::string& name) {
  return std::find(list.begin(), list.end(), name) != list.end();
}

void name_once(std::vector<std::string>& list, const std::string& name) {
  if (!contains(list, name)) list.push_back(name);
}

/// What one visit adds to the mean's scatter (C), for the term it belongs to.
double residual(const PlanTerm& term, double rest, double charge, double length) {
  if (!term.held) return charge - rest * length;
  const double usual = term.row->visit_length.mean;
  // At a held length only the level counts: linearised about the ratio of sums.
  return usual > 0 ? *term.held / usual * (charge - term.level() * length) : 0;
}

/// Scatter of one activity's terms over its whole rounds; nothing when too few of its visits lie in
/// such rounds.
std::optional<Component> scatter_of_rounds(const std::vector<const PlanTerm*>& terms,
                                           const std::vector<std::string>& states,
                                           const std::vector<Round>& rounds, double rest) {
  std::vector<double> y, x;
  std::vector<std::size_t> captures;
  for (const Round& round : rounds) {
    if (round.states != states || terms.size() != states.size()) continue;
    double sum = 0;
    for (std::size_t i = 0; i < states.size(); ++i)
      sum += residual(*terms[i], rest, round.parts[i]->charge, round.parts[i]->length);
    y.push_back(sum);
    x.push_back(1);
    captures.push_back(round.capture);
  }
  std::size_t fewest = SIZE_MAX;
  for (const PlanTerm* t : terms) fewest = std::min(fewest, t->row->whole.size());
  if (y.size() < 2 || 2 * y.size() < fewest) return std::nullopt;
  return ratio_over_captures(y, x, captures)
      .component("spread of rounds of " + name_of(states), terms.front()->rate_hz);
}

std::optional<Component> scatter_of_state(const PlanTerm& term, double rest) {
  const Repeatability spread = term.row->repeat(
      [&](const WholeVisit& v) { return residual(term, rest, v.charge, v.length); });
  if (auto c = spread.component("spread of " + term.state, term.rate_hz)) return c;
  if (term.held || term.row->whole.empty()) return std::nullopt;
  return Component{"edges of " + term.state,
                   term.row->whole.front().charge_u * term.rate_hz,
                   {},
                   Origin::normal};
}

std::vector<Component> scatter_of_plan(const DutyPlan& plan, const std::vector<PlanTerm>& terms,
                                       const Ledger& ledger, double rest) {
  std::vector<Component> out;
  std::vector<std::vector<std::string>> activities;
  for (const Activity& a : plan.activities) activities.push_back(a.states);
  const std::vector<Round> rounds = taken_apart(rounds_of(ledger, plan.rest), activities);
  for (std::size_t a = 0; a < plan.activities.size(); ++a) {
    std::vector<const PlanTerm*> own;
    for (const PlanTerm& t : terms) {
      if (t.activity == a) own.push_back(&t);
    }
    if (own.empty()) continue;
    if (const auto c = scatter_of_rounds(own, plan.activities[a].states, rounds, rest)) {
      out.push_back(*c);
      continue;
    }
    for (const PlanTerm* t : own) {
      if (const auto c = scatter_of_state(*t, rest)) out.push_back(*c);
    }
  }
  return out;
}

void add_share(std::vector<Share>& shares, const std::string& state, double current) {
  for (Share& s : shares) {
    if (s.state == state) {
      s.current += current;
      return;
    }
  }
  shares.push_back({state, current});
}

void set_uncertainty(FieldMean& out, const Accuracy& accuracy) {
  out.accuracy_stated = accuracy.stated();
  out.components = accuracy_components(accuracy, out.mean);
  append(out.components, out.scatter);
  out.mean_u = expand(out.components);
  std::stable_sort(out.shares.begin(), out.shares.end(),
                   [](const Share& a, const Share& b) { return a.current > b.current; });
}

}  // namespace

bool DutyPlan::names(const std::string& state) const {
  if (state == rest || contains(once, state)) return true;
  return std::any_of(activities.begin(), activities.end(),
                     [&](const Activity& a) { return contains(a.states, state); });
}

std::vector<Unnamed> unnamed_states(const DutyPlan& plan, const Ledger& ledger) {
  double charge = 0;
  for (const LedgerRow& row : ledger.rows) {
    if (row.state != kOff && row.state != kMissing) charge += std::fabs(row.charge);
  }
  std::vector<Unnamed> out;
  for (const LedgerRow& row : ledger.rows) {
    if (row.state == kOff || row.state == kMissing || row.visits == 0) continue;
    if (plan.names(row.state)) continue;
    out.push_back({row.state, charge > 0 ? std::fabs(row.charge) / charge : 0,
                   ledger.observed_s() > 0 ? row.time_s / ledger.observed_s() : 0});
  }
  return out;
}

bool too_much_unnamed(const std::vector<Unnamed>& unnamed) {
  double share = 0;
  for (const Unnamed& u : unnamed) share += u.charge_share;
  return share > kMostUnnamed;
}

CurrentInterval FieldMean::interval() const {
  if (!(mean > 0)) return {mean - mean_u.U, mean + mean_u.U};
  const double relative = mean_u.U / mean;
  return {mean * std::exp(-relative), mean * std::exp(relative)};
}

std::vector<PlanTerm> plan_terms(const DutyPlan& plan, const Ledger& ledger,
                                 const CommonLengths& common, std::vector<std::string>& missing) {
  std::vector<PlanTerm> out;
  for (std::size_t a = 0; a < plan.activities.size(); ++a) {
    const Activity& activity = plan.activities[a];
    for (const std::string& state : activity.states) {
      PlanTerm term{a, state, activity.rate_hz, ledger.find(state), {}, false};
      if (const auto given = activity.lengths.find(state); given != activity.lengths.end()) {
        term.held = given->second;
        term.given = true;
      } else if (const auto held = common.find(state); held != common.end()) {
        term.held = held->second;
      }
      // At a held length a level is enough; else a visit must have been seen from end to end.
      const bool there = term.row && (term.held ? term.row->tested_mean().has_value()
                                                : term.row->visit_length.n > 0);
      if (there) {
        out.push_back(term);
      } else {
        name_once(missing, state);
      }
    }
  }
  return out;
}

FieldMean field_mean(const DutyPlan& plan, const Ledger& ledger, const CommonLengths& common) {
  FieldMean out;
  out.of = "the duty plan";
  out.unnamed = unnamed_states(plan, ledger);
  const LedgerRow* rest_row = ledger.find(plan.rest);
  if (!rest_row || !rest_row->mean) name_once(out.missing, plan.rest);
  const std::vector<PlanTerm> terms = plan_terms(plan, ledger, common, out.missing);
  for (const std::string& state : plan.once) {
    const LedgerRow* row = ledger.find(state);
    if (row && !row->whole.empty()) {
      out.once_charge += row->charge_per_visit.mean;
    } else {
      name_once(out.missing, state);
    }
  }
  const double rest = rest_row ? rest_row->tested_mean().value_or(0) : 0;
  double busy = 0;
  std::vector<WeightedAccuracy> accuracies;
  for (const PlanTerm& t : terms) {
    const double share = t.rate_hz * t.length();
    busy += share;
    add_share(out.shares, t.state, t.rate_hz * t.charge());
    out.mean += t.rate_hz * t.charge();
    out.bounds |= t.row->bounds;
    accuracies.push_back({t.row->accuracy, share, t.level()});
    if (t.row->single_visit()) name_once(out.single, t.state);
  }
  if (busy > 1) throw std::domain_error("the activities take more time than there is");
  out.scatter = scatter_of_plan(plan, terms, ledger, rest);
  for (const PlanTerm& t : terms) {
    if (!t.held)
      append(out.scatter, typed_length_components(*t.row, t.rate_hz * (t.level() - rest)));
  }
  if (rest_row && rest_row->mean) {
    add_share(out.shares, plan.rest, rest * (1 - busy));
    out.mean += rest * (1 - busy);
    out.bounds |= rest_row->bounds;
    accuracies.push_back({rest_row->accuracy, 1 - busy, rest});
    if (const auto c = rest_row->level.component("spread of " + plan.rest, 1 - busy))
      out.scatter.push_back(*c);
  }
  set_uncertainty(out, pooled_accuracy(accuracies));
  return out;
}

}  // namespace kuvio
