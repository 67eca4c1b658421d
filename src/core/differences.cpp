// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/differences.h"

#include "core/plan_terms.h"
#include "core/recipe.h"
#include "core/rounds.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace kuvio {
namespace {

constexpr double kOneRange = 0.1;  // levels this near are taken to lie in one range

std::string value_of(const Conditions& conditions, const std::string& key) {
  const auto it = conditions.find(key);
  return it == conditions.end() ? "" : it->second;
}

bool in_one_range(double a, double b) {
  return std::fabs(a - b) <= kOneRange * std::max(std::fabs(a), std::fabs(b));
}

/// Standard uncertainty of an accuracy's term, and where it comes from.
Component term(const char* name, const Accuracy& accuracy, double bound) {
  const double scale = accuracy.expanded ? 0.5 : 1 / std::sqrt(3.0);
  return {name, bound * scale, {}, accuracy.expanded ? Origin::normal : Origin::bound};
}

constexpr const char* kGain = "gain of the instrument";
constexpr const char* kOffset = "offset of the instrument";

void add_side(std::vector<Component>& out, const std::vector<ReadingPair>& readings,
              bool candidate) {
  std::vector<WeightedAccuracy> parts;
  double sum = 0, weight = 0;
  for (const ReadingPair& r : readings) {
    const double reading = candidate ? r.candidate : r.reference;
    const double w = candidate ? r.candidate_weight : r.reference_weight;
    parts.push_back({candidate ? r.candidate_accuracy : r.reference_accuracy, w, reading});
    sum += std::fabs(reading * w);
    weight += w;
  }
  const Accuracy pooled = pooled_accuracy(parts);
  out.push_back(term(kGain, pooled, pooled.gain * sum));
  out.push_back(term(kOffset, pooled, pooled.offset * weight));
}

/// One instrument whose readings lie in several of its ranges: what two readings of one range share
/// cancels, and what is left of each range adds up as if all erred to one side.
std::vector<Component> ranged_part(const std::vector<ReadingPair>& readings) {
  double gain = 0, offset = 0;
  for (const ReadingPair& r : readings) {
    const Accuracy &a = r.reference_accuracy, &b = r.candidate_accuracy;
    const double reference = r.reference * r.reference_weight,
                 candidate = r.candidate * r.candidate_weight;
    if (a == b) {
      gain += a.gain * std::fabs(candidate - reference);
      offset += a.offset * std::fabs(r.candidate_weight - r.reference_weight);
    } else {
      gain += a.gain * std::fabs(reference) + b.gain * std::fabs(candidate);
      offset += a.offset * std::fabs(r.reference_weight) + b.offset * std::fabs(r.candidate_weight);
    }
  }
  const Accuracy& first = readings.front().reference_accuracy;
  return {term(kGain, first, gain), term(kOffset, first, offset)};
}

}  // namespace

Instruments instruments_of(const Side& reference, const Side& candidate) {
  const Conditions &a = reference.conditions, &b = candidate.conditions;
  Instruments out;
  out.automatic_range = value_of(a, "range") == "automatic" || value_of(b, "range") == "automatic";
  out.same = !value_of(a, "input").empty() &&
             reference.ledger.basis.accuracy == candidate.ledger.basis.accuracy;
  for (const char* key : {"input", "range", "zeroed"})
    out.same &= value_of(a, key) == value_of(b, key);
  return out;
}

ReadingPair pair_of(const LedgerRow& reference, double reference_reading, double reference_weight,
                    const LedgerRow& candidate, double candidate_reading, double candidate_weight) {
  return {reference_reading,
          reference_weight,
          candidate_reading,
          candidate_weight,
          reference.accuracy.at(reference_reading),
          candidate.accuracy.at(candidate_reading),
          reference.typed.has_value() || candidate.typed.has_value()};
}

std::vector<Component> instrument_part(const Instruments& instruments,
                                       const std::vector<ReadingPair>& readings) {
  std::vector<Component> out;
  if (readings.empty()) return out;
  const bool typed =
      std::any_of(readings.begin(), readings.end(), [](const ReadingPair& r) { return r.typed; });
  if (!instruments.same || typed) {
    add_side(out, readings, false);
    add_side(out, readings, true);
    return out;
  }
  const Accuracy& one = readings.front().reference_accuracy;
  const bool ranges = std::any_of(readings.begin(), readings.end(), [&](const ReadingPair& r) {
    return !(r.reference_accuracy == one && r.candidate_accuracy == one);
  });
  if (ranges) return ranged_part(readings);
  // One instrument: what both readings share cancels.
  const Accuracy& accuracy = readings.front().reference_accuracy;
  double gain = 0, offset = 0;
  for (const ReadingPair& r : readings) {
    const double more = r.candidate * r.candidate_weight - r.reference * r.reference_weight;
    const double longer = r.candidate_weight - r.reference_weight;
    if (!instruments.automatic_range) {
      gain += more;
      offset += longer;
    } else if (in_one_range(r.reference, r.candidate)) {
      gain += std::fabs(more);  // ranges err each on its own: their parts do not cancel
      offset += std::fabs(longer);
    } else {
      add_side(out, {r}, false);
      add_side(out, {r}, true);
    }
  }
  out.push_back(term(kGain, accuracy, accuracy.gain * std::fabs(gain)));
  out.push_back(term(kOffset, accuracy, accuracy.offset * std::fabs(offset)));
  return out;
}

void set_interval(Difference& d, std::vector<Component> components) {
  d.components = std::move(components);
  const double U = expand(d.components).U;
  d.low = d.value - U;
  d.high = d.value + U;
  d.p = chance_of(d.value, d.components);
  d.known = true;
}

Bounds bounds_of_difference(Bounds reference, Bounds candidate) {
  return {candidate.lower || reference.upper, candidate.upper || reference.lower};
}

bool within_margin(const Difference& d, double margin) {
  const double half = expand(d.components, 0.90).U;
  return !d.bounds.any() && d.value - half > -margin && d.value + half < margin;
}

DutyPlan pooled_plan(const Ledger& reference, const Ledger& candidate) {
  DutyPlan out;
  const LedgerRow* rest = reference.longest();
  if (!rest || !candidate.find(rest->state)) return out;
  out.rest = rest->state;
  const std::vector<Round> a = rounds_of(reference, out.rest), b = rounds_of(candidate, out.rest);
  std::vector<Round> all = a;
  all.insert(all.end(), b.begin(), b.end());
  double time = 0;
  for (const Round& r : all) time += r.length;
  const std::vector<Round> apart = taken_apart(all, simple_kinds(all));
  for (const RoundKind& kind : kinds_of(apart)) {
    const bool both = std::all_of(kind.states.begin(), kind.states.end(), [&](const auto& state) {
      const LedgerRow *x = reference.find(state), *y = candidate.find(state);
      return !is_built_in_state(state) && x && y && x->visit_length.n > 0 && y->visit_length.n > 0;
    });
    if (both && !kind.states.empty())
      out.activities.push_back({static_cast<double>(kind.rounds.size()) / time, kind.states, {}});
  }
  return out;
}

namespace {

CompareRow& row_of(std::vector<CompareRow>& rows, const std::string& state) {
  return *std::find_if(rows.begin(), rows.end(),
                       [&](const CompareRow& r) { return r.state == state; });
}

/// Which of a plan's lengths differ, by Holm's step-down over those that were seen twice on both
/// sides and are not given, among the states' means and charges. At 1 %: a length that is held
/// common has what could hide in it beside the figure, one that only seems to differ has nothing.
void test_lengths(std::vector<CompareRow>& rows, const std::vector<PlanTerm>& a,
                  const std::vector<PlanTerm>& b) {
  std::set<Difference*> tests;
  for (CompareRow& row : rows) {
    tests.insert(&row.mean);
    tests.insert(&row.charge_per_visit);
  }
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a[i].given) continue;
    Difference& d = row_of(rows, a[i].state).visit_length;
    d.tested = a[i].row->length_known() && b[i].row->length_known();
    if (d.tested) tests.insert(&d);
  }
  holm({tests.begin(), tests.end()}, 0.01);
}

/// Lengths that no difference is shown of, and what could hide in each.
void hold_lengths(const DutyPlan& plan, std::vector<CompareRow>& rows,
                  const std::vector<PlanTerm>& a, const std::vector<PlanTerm>& b, double rest,
                  CommonLengths& common, SameUse& out) {
  test_lengths(rows, a, b);
  std::set<std::string> seen;
  for (std::size_t i = 0; i < a.size(); ++i) {
    const PlanTerm &x = a[i], &y = b[i];
    if (x.given) {
      out.common.push_back({x.state, true, *x.held, {}});
      continue;
    }
    if (!seen.insert(x.state).second) continue;
    const Difference& d = row_of(rows, x.state).visit_length;
    if (d.rejected) {
      out.own.push_back(x.state);
      continue;
    }
    const bool single = !d.tested;
    CommonLength held{
        x.state, false, (x.row->visit_length.mean + y.row->visit_length.mean) / 2, {}};
    common[x.state] = held.length_s;
    if (!single) {
      double rate = 0;
      for (const Activity& activity : plan.activities) {
        if (activity.lengths.count(x.state)) continue;
        rate += activity.rate_hz * static_cast<double>(std::count(activity.states.begin(),
                                                                  activity.states.end(), x.state));
      }
      // Where zero lies outside its interval, all that the interval reaches.
      const double reach = d.low > 0 || d.high < 0 ? std::fabs(d.value) + d.U() : d.U();
      held.could_hide = rate * std::fabs((x.level() + y.level()) / 2 - rest) * reach;
      out.could_hide = std::hypot(out.could_hide, *held.could_hide);
    }
    out.common.push_back(held);
  }
}

}  // namespace

std::optional<SameUse> same_use(const Side& reference, const Side& candidate, const DutyPlan& plan,
                                const Instruments& instruments, std::vector<CompareRow>& rows) {
  const Ledger &la = reference.ledger, &lb = candidate.ledger;
  const LedgerRow *ra = la.find(plan.rest), *rb = lb.find(plan.rest);
  if (!ra || !rb || !ra->tested_mean() || !rb->tested_mean()) return std::nullopt;
  std::vector<std::string> missing;
  const auto free_a = plan_terms(plan, la, {}, missing), free_b = plan_terms(plan, lb, {}, missing);
  if (!missing.empty()) return std::nullopt;
  const double rest_a = *ra->tested_mean(), rest_b = *rb->tested_mean();
  SameUse out;
  CommonLengths common;
  hold_lengths(plan, rows, free_a, free_b, (rest_a + rest_b) / 2, common, out);
  const FieldMean a = field_mean(plan, la, common), b = field_mean(plan, lb, common);
  const auto terms_a = plan_terms(plan, la, common, missing),
             terms_b = plan_terms(plan, lb, common, missing);

  std::vector<ReadingPair> readings;
  double busy = 0, busy_a = 0, busy_b = 0;
  for (std::size_t i = 0; i < terms_a.size(); ++i) {
    const PlanTerm &x = terms_a[i], &y = terms_b[i];
    const double r = x.rate_hz, da = x.length(), db = y.length();
    const double ia = da > 0 ? x.charge() / da : 0, ib = db > 0 ? y.charge() / db : 0;
    const double d = (da + db) / 2;
    CompareRow& row = row_of(rows, x.state);
    row.level_part += r * (ib - ia) * d;
    row.length_part += r * ((ia + ib) / 2 - (rest_a + rest_b) / 2) * (db - da);
    busy += r * d;
    busy_a += r * da;
    busy_b += r * db;
    readings.push_back(pair_of(*x.row, ia, r * da, *y.row, ib, r * db));
  }
  row_of(rows, plan.rest).level_part += (rest_b - rest_a) * (1 - busy);
  readings.push_back(pair_of(*ra, rest_a, 1 - busy_a, *rb, rest_b, 1 - busy_b));

  out.difference.value = b.mean - a.mean;
  out.difference.bounds = bounds_of_difference(a.bounds, b.bounds);
  auto components = instrument_part(instruments, readings);
  append(components, a.scatter);
  append(components, b.scatter);
  set_interval(out.difference, components);
  out.difference.tested = true;
  return out;
}

}  // namespace kuvio
