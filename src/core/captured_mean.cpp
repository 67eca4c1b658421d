// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/duty.h"
#include "core/recipe.h"
#include "core/rounds.h"
#include "core/trace.h"

#include <boost/math/distributions/chi_squared.hpp>

#include <algorithm>
#include <cmath>

namespace kuvio {
namespace {

void set_uncertainty(FieldMean& out, const Ledger& ledger) {
  out.accuracy_stated = ledger.basis.accuracy.stated();
  out.components = accuracy_components(ledger.basis.accuracy, out.mean);
  append(out.components, out.scatter);
  out.mean_u = expand(out.components);
  out.bounds = ledger.bounds;
  std::stable_sort(out.shares.begin(), out.shares.end(),
                   [](const Share& a, const Share& b) { return a.current > b.current; });
}

/// Limits of a sum of weighted Poisson events, each met once (Fay and Feuer 1997, eq. 3 and 4).
CurrentInterval limits_of_events(const std::vector<double>& weights) {
  double sum = 0, square = 0, largest = 0;
  for (const double w : weights) {
    sum += w;
    square += w * w;
    largest = std::max(largest, w);
  }
  if (!(sum > 0)) return {0, 0};
  const auto gamma = [](double mean, double variance, double level) {
    const boost::math::chi_squared chi(2 * mean * mean / variance);
    return variance / (2 * mean) * quantile(chi, level);
  };
  return {gamma(sum, square, 0.025), gamma(sum + largest, square + largest * largest, 0.975)};
}

/// The interval when rounds come at random: what each draws above the rest is an event's weight.
CurrentInterval chance_interval(const FieldMean& mean, const std::vector<Round>& rounds,
                                double rest, double time) {
  double base = rest;
  std::vector<double> weights;
  for (const Round& r : rounds) {
    const double more = (r.charge - rest * r.length) / time;
    if (more > 0) {
      weights.push_back(more);
    } else {
      base += more;
    }
  }
  CurrentInterval out = limits_of_events(weights);
  out.low += base;
  out.high += base;
  if (!(mean.mean > 0) || !(out.low > 0)) return out;
  // The instrument's part beside it, on the same logarithmic scale.
  std::vector<Component> instrument;
  for (const Component& c : mean.components) {
    if (c.origin != Origin::scatter) instrument.push_back(c);
  }
  const double relative = expand(instrument).U / mean.mean;
  const double down = std::hypot(std::log(mean.mean / out.low), relative);
  const double up = std::hypot(std::log(out.high / mean.mean), relative);
  return {mean.mean * std::exp(-down), mean.mean * std::exp(up)};
}

/// Scatter of the rounds of one kind, and what is to be said of it.
void add_kind(FieldMean& out, const RoundKind& kind, double time, double total) {
  std::vector<double> residuals;
  double charge = 0;
  for (const Round* r : kind.rounds) {
    residuals.push_back(r->charge - out.mean * r->length);
    charge += r->charge;
  }
  const auto n = static_cast<double>(residuals.size());
  const double share = total != 0 ? charge / total : 0;
  if (residuals.size() == 1) {
    out.single.push_back(name_of(kind.states));
    out.single_share += share;
  }
  if (const auto c =
          repeatability(residuals).component("rounds of " + name_of(kind.states), n / time))
    out.scatter.push_back(*c);
  if (residuals.size() < 10 && share > 0.1) {
    out.decided_by = std::to_string(residuals.size()) +
                     (residuals.size() == 1 ? " round of " : " rounds of ") + name_of(kind.states) +
                     " hold " + std::to_string(std::lround(100 * share)) + " % of the charge";
  }
}

/// Of a single state that was typed: nothing else is known of the device.
std::optional<FieldMean> typed_mean(const Ledger& ledger) {
  if (ledger.time_s > 0) return std::nullopt;
  const LedgerRow* only = nullptr;
  for (const LedgerRow& row : ledger.rows) {
    if (!row.typed) continue;
    if (only || !row.mean) return std::nullopt;
    only = &row;
  }
  if (!only) return std::nullopt;
  FieldMean out;
  out.of = "the typed reading of " + only->state;
  out.mean = *only->tested_mean();
  out.shares = {{only->state, out.mean}};
  out.components = mean_components(*only);
  out.scatter = mean_components(*only, false);
  out.mean_u = expand(out.components);
  out.accuracy_stated = only->accuracy.stated();
  if (only->single_visit()) out.single.push_back(only->state);
  return out;
}

}  // namespace

FieldMean captured_mean(const Ledger& ledger) {
  if (auto typed = typed_mean(ledger)) return *typed;
  FieldMean out;
  const LedgerRow* rest = ledger.longest();
  const std::vector<Round> rounds = rest ? rounds_of(ledger, rest->state) : std::vector<Round>{};
  double charge = 0, time = 0;
  for (const Round& r : rounds) {
    charge += r.charge;
    time += r.length;
  }
  if (rounds.empty() || !(time > 0)) {
    out.of = "everything captured";
    out.mean = ledger.mean.value_or(0);
    for (const LedgerRow& row : ledger.rows) {
      if (row.state == kMissing || row.state == kOff || row.charge == 0) continue;
      out.shares.push_back({row.state, row.charge / ledger.observed_s()});
      // Nothing repeats as a round; what a state shows by itself still scatters.
      if (const auto c =
              row.level.component("spread of " + row.state, row.time_s / ledger.observed_s()))
        out.scatter.push_back(*c);
    }
    set_uncertainty(out, ledger);
    return out;
  }
  out.of = "the whole cycles of " + rest->state;
  out.mean = charge / time;
  double others = 0;
  for (const Round& r : rounds) {
    double own = 0;
    for (const Passed* p : r.parts) {
      own += p->charge;
      const auto share = std::find_if(out.shares.begin(), out.shares.end(),
                                      [&](const Share& s) { return s.state == p->state; });
      if (share != out.shares.end()) {
        share->current += p->charge / time;
      } else {
        out.shares.push_back({p->state, p->charge / time});
      }
    }
    others += own;
  }
  out.shares.push_back({rest->state, (charge - others) / time});
  for (const RoundKind& kind : kinds_by_charge(rounds)) add_kind(out, kind, time, charge);
  set_uncertainty(out, ledger);
  out.by_chance = chance_interval(out, rounds, rest->tested_mean().value_or(0), time);
  return out;
}

FieldMean unsplit_mean(const Trace& trace, const Basis& basis) {
  const Visits all{{kUnassigned, trace.from_s(), trace.to_s(), false}};
  Visits pieces;  // without the gaps
  double at = trace.from_s();
  for (const Block& block : trace.blocks()) {
    const double from = trace.time_base().seconds(block.start),
                 to = trace.time_base().seconds(block.end);
    if (from > at) pieces.push_back({kMissing, at, from, false});
    if (to > from) pieces.push_back({kUnassigned, from, to, false});
    at = to;
  }
  if (trace.to_s() > at) pieces.push_back({kMissing, at, trace.to_s(), false});
  FieldMean out = captured_mean(
      make_ledger({{&trace, measure_visits(trace, pieces.empty() ? all : pieces), basis}}));
  out.of = "everything captured (not split into states)";
  out.shares.clear();
  return out;
}

DutyPlan plan_of(const Ledger& ledger) {
  DutyPlan out;
  const LedgerRow* rest = ledger.longest();
  if (!rest || !(ledger.observed_s() > 0)) return out;
  out.rest = rest->state;
  const std::vector<Round> rounds = rounds_of(ledger, rest->state);
  double time = 0;
  for (const Round& r : rounds) time += r.length;
  const std::vector<Round> apart = taken_apart(rounds, simple_kinds(rounds));
  for (const RoundKind& kind : kinds_of(apart)) {
    // What nobody saw whole cannot be planned with.
    const bool whole = std::all_of(kind.states.begin(), kind.states.end(), [&](const auto& state) {
      return !is_built_in_state(state) && ledger.find(state)->whole_visits > 0;
    });
    if (whole && !kind.states.empty())
      out.activities.push_back({static_cast<double>(kind.rounds.size()) / time, kind.states, {}});
  }
  const auto first = std::find_if(ledger.sequence.begin(), ledger.sequence.end(),
                                  [](const Passed& p) { return !is_built_in_state(p.state); });
  if (first != ledger.sequence.end() && first->state != out.rest && !out.names(first->state)) {
    const LedgerRow* row = ledger.find(first->state);
    if (row->visits == 1 && row->whole_visits == 1) out.once.push_back(first->state);
  }
  return out;
}

}  // namespace kuvio
