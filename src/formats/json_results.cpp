// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/json_results.h"

#include "book/verify.h"
#include "core/budget.h"
#include "core/charge_flow.h"
#include "core/compare.h"
#include "core/cycles.h"
#include "core/measure.h"
#include "formats/json_number.h"
#include "formats/life_document.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>

namespace kuvio::formats {
namespace {

using json = nlohmann::ordered_json;

std::string suffix(const std::string& unit) {
  std::string out = "_" + unit;
  for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

/// Components as a list, largest first.
json budget_of(const std::vector<Component>& components) {
  double variance = 0;
  for (const Component& c : components) variance += c.u * c.u;
  std::vector<Component> sorted = components;
  std::stable_sort(sorted.begin(), sorted.end(),
                   [](const Component& a, const Component& b) { return a.u > b.u; });
  json out = json::array();
  for (const Component& c : sorted) {
    if (!(c.u > 0)) continue;
    out.push_back({{"component", c.name},
                   {"u", json_number(c.u)},
                   {"freedom", json_number(c.freedom)},
                   {"share", json_number(c.u * c.u / variance)}});
  }
  return out;
}

/// Adds `budget` to a document where it is asked for.
void explain_in(json& document, Explain explain,
                std::initializer_list<std::pair<const char*, std::vector<Component>>> results) {
  if (explain == Explain::no) return;
  json budgets = json::object();
  for (const auto& [key, components] : results) {
    if (!components.empty()) budgets[key] = budget_of(components);
  }
  document["budget"] = budgets;
}

json to_json(const std::vector<Unnamed>& unnamed, const std::string& side, json out) {
  for (const Unnamed& u : unnamed) {
    json item = json::object();
    if (!side.empty()) item["side"] = side;
    item["state"] = u.state;
    item["charge_share"] = json_number(u.charge_share);
    item["time_share"] = json_number(u.time_share);
    out.push_back(std::move(item));
  }
  return out;
}

}  // namespace

json to_json(const book::CaptureInfo& c) {
  json channels = json::array();
  for (const book::ChannelInfo& channel : c.channels) {
    channels.push_back(
        {{"name", channel.name},
         {"quantity", info(channel.quantity).key},
         {"unit", channel.unit},
         {"samples", channel.samples},
         {"rate_hz", channel.period_s > 0 ? json(1 / channel.period_s) : json(nullptr)},
         {"from_s", channel.from_s},
         {"to_s", channel.to_s},
         {"gaps", channel.gaps},
         {"flagged", channel.flagged}});
  }
  return {{"id", c.id},
          {"name", c.name},
          {"build", c.build},
          {"started_utc", c.started_utc},
          {"duration_s", c.duration_s()},
          {"recording", c.recording},
          {"interrupted", c.interrupted},
          {"end_reason", c.end_reason},
          {"split", c.split},
          {"typed", c.typed},
          {"channels", channels},
          {"log_lines", c.log_lines},
          {"conditions", c.conditions}};
}

json to_json(const SpanFigures& s, const book::ChannelInfo& channel, const Basis& basis,
             const ChargeFlow& flow, Explain explain) {
  const std::string unit = suffix(channel.unit);
  const bool current = channel.quantity == Quantity::current;
  json mean_u = nullptr, charge_u = nullptr;
  if (s.mean() && basis.accuracy.stated()) {
    const double u = expand(accuracy_components(basis.accuracy, *s.mean())).U;
    mean_u = u;
    charge_u = u * s.observed_s;
  }
  json out{{"channel", channel.name},
           {"from_s", s.from_s},
           {"to_s", s.to_s},
           {"duration_s", s.duration_s()},
           {"observed_s", s.observed_s},
           {"missing_s", s.missing_s},
           {"samples", s.samples},
           {"mean" + unit, json_number(s.mean())},
           {"mean_u" + unit, mean_u},
           {"min" + unit, json_number(s.min)},
           {"max" + unit, json_number(s.max)},
           {"rms" + unit, json_number(s.rms())},
           {"rms_lower_bound", channel.kind == SampleKind::averaged}};
  if (current) {
    out["charge_c"] = json_number(s.charge);
    out["charge_u_c"] = charge_u;
    out["charge_out_c"] = flow.out;
    out["charge_in_c"] = flow.in;
    out["energy_j"] = basis.voltage > 0 ? json_number(s.charge * basis.voltage) : json(nullptr);
    out["energy_from"] = basis.voltage > 0 ? json("nominal supply voltage") : json(nullptr);
  }
  out["flagged"] = {{"over_range", s.over_range},
                    {"below_range", s.below_range},
                    {"not_a_number", s.not_a_number},
                    {"dropped", s.dropped},
                    {"range_change", s.range_change}};
  out["lower_bound"] = s.bounds().lower;
  out["upper_bound"] = s.bounds().upper;
  if (current && s.mean()) {
    const auto mean = accuracy_components(basis.accuracy, *s.mean());
    explain_in(out, explain, {{"mean_a", mean}, {"charge_c", scaled(mean, s.observed_s)}});
  }
  return out;
}

json to_json(const std::string& recipe, const std::vector<VisitFigures>& visits) {
  json list = json::array();
  for (const VisitFigures& f : visits) {
    list.push_back({{"state", f.visit.state},
                    {"from_s", f.visit.from_s},
                    {"to_s", f.visit.to_s},
                    {"whole", f.visit.whole},
                    {"narrow", f.visit.narrow},
                    {"continues", f.visit.continues},
                    {"mean_a", json_number(f.mean)},
                    {"charge_c", f.charge},
                    {"shared_out_c", f.shared_out},
                    {"peak_a", json_number(f.peak)},
                    {"least_a", json_number(f.least)},
                    {"length_edges_u_s", f.length_u_s},
                    {"charge_edges_u_c", f.charge_u},
                    {"lower_bound", f.bounds.lower},
                    {"upper_bound", f.bounds.upper}});
  }
  return {{"recipe", recipe}, {"visits", list}};
}

namespace {
ChargeFlow flow_of(const std::map<std::string, ChargeFlow>& flows, const std::string& state) {
  const auto it = flows.find(state);
  return it == flows.end() ? ChargeFlow{} : it->second;
}
}  // namespace

namespace {
/// Of a settled level at 95 %: what its stays show, and the instrument.
double settled_u(const LedgerRow& row) {
  std::vector<Component> parts{{"settling", *row.settled_u, std::nullopt, Origin::normal}};
  append(parts, accuracy_components(row.accuracy, *row.settled));
  return expand(parts).U;
}
}  // namespace

json to_json(const std::string& capture, const Ledger& ledger, const CycleFigures& cycles,
             const std::map<std::string, ChargeFlow>& flows, Explain explain) {
  json rows = json::array();
  for (const LedgerRow& r : ledger.rows) {
    const bool accuracy = r.accuracy.stated();
    const bool known_u = r.mean && (accuracy || r.level.n >= 2);
    const bool any_whole = !r.whole.empty();
    // How often and how long in all a typed state was there, nobody saw.
    const auto as_captured = [&](double value) { return r.typed ? json(nullptr) : json(value); };
    json row{
        {"state", r.state},
        {"visits", r.visits},
        {"typed", r.typed ? r.typed->readings : 0},
        {"typed_beside", r.typed_beside},
        {"time_s", as_captured(r.time_s)},
        {"time_share", as_captured(r.time_share)},
        {"mean_a", json_number(r.mean)},
        {"mean_u_a", known_u ? json_number(r.mean_u.U) : json(nullptr)},
        {"mean_u_factor", known_u ? json_number(r.mean_u.coverage_factor) : json(nullptr)},
        {"mean_of", "all stays"},
        {"whole_mean_a", r.level.n >= 2 ? json_number(r.tested_mean()) : json(nullptr)},
        {"spread_of", to_string(r.spread)},
        {"settled_a", json_number(r.settled)},
        {"settled_u_a", r.settled && r.settled_u ? json_number(settled_u(r)) : json(nullptr)},
        {"charge_c", as_captured(r.charge)},
        {"charge_u_c", r.mean && accuracy && !r.typed ? json_number(r.charge_u.U) : json(nullptr)},
        {"charge_out_c", as_captured(flow_of(flows, r.state).out)},
        {"charge_in_c", as_captured(flow_of(flows, r.state).in)},
        {"charge_share", as_captured(r.charge_share)},
        {"charge_per_visit_c", any_whole ? json(r.charge_per_visit.mean) : json(nullptr)},
        {"charge_per_visit_u_c",
         any_whole && known_u ? json_number(r.charge_per_visit_u.U) : json(nullptr)},
        {"charge_per_visit_sd_c",
         r.charge_per_visit.n >= 2 ? json(r.charge_per_visit.sd) : json(nullptr)},
        {"charge_per_visit_min_c", any_whole ? json(r.charge_per_visit_min) : json(nullptr)},
        {"charge_per_visit_max_c", any_whole ? json(r.charge_per_visit_max) : json(nullptr)},
        {"whole_visits", r.whole_visits},
        {"narrow_visits", r.narrow_visits},
        {"visit_s", r.visit_length.n > 0 ? json(r.visit_length.mean) : json(nullptr)},
        {"visit_u_s", r.visit_length.n > 0 ? json_number(r.visit_length_u.U) : json(nullptr)},
        {"energy_j", json_number(r.energy)},
        {"peak_a", json_number(r.peak)},
        {"least_a", json_number(r.least)},
        {"lower_bound", r.bounds.lower},
        {"upper_bound", r.bounds.upper}};
    explain_in(row, explain,
               {{"mean_a", mean_components(r)},
                {"charge_per_visit_c", charge_per_visit_components(r)},
                {"visit_s", visit_length_components(r)}});
    rows.push_back(std::move(row));
  }
  const bool accuracy = ledger.basis.accuracy.stated();
  json out{{"capture", capture},
           {"rows", rows},
           {"total",
            {{"time_s", ledger.time_s},
             {"missing_s", ledger.missing_s},
             {"off_s", ledger.off_s},
             {"charge_c", ledger.charge},
             {"mean_a", json_number(ledger.mean)},
             {"mean_u_a", accuracy && ledger.mean ? json_number(ledger.mean_u.U) : json(nullptr)},
             {"accuracy_stated", accuracy},
             {"lower_bound", ledger.bounds.lower},
             {"upper_bound", ledger.bounds.upper}}}};
  if (cycles.count > 0) {
    out["cycles"] = {{"state", cycles.state},
                     {"count", cycles.count},
                     {"period_s", cycles.period.mean},
                     {"charge_c", cycles.charge.mean},
                     {"charge_sd_c", cycles.count >= 2 ? json(cycles.charge.sd) : json(nullptr)}};
  } else {
    out["cycles"] = nullptr;
  }
  return out;
}

namespace {

json row_json(const CompareRow& r, Explain explain) {
  const auto known = [](const Difference& d, double value) {
    return d.known ? json_number(value) : json(nullptr);
  };
  const Bounds bounds = r.mean.bounds;
  json out{
      {"state", r.state},
      {"reference_mean_a", json_number(r.reference_mean)},
      {"candidate_mean_a", json_number(r.candidate_mean)},
      {"difference_a", known(r.mean, r.mean.value)},
      {"difference_low_a", known(r.mean, r.mean.low)},
      {"difference_high_a", known(r.mean, r.mean.high)},
      {"charge_per_visit_difference_c", known(r.charge_per_visit, r.charge_per_visit.value)},
      {"charge_per_visit_difference_low_c", known(r.charge_per_visit, r.charge_per_visit.low)},
      {"charge_per_visit_difference_high_c", known(r.charge_per_visit, r.charge_per_visit.high)},
      {"visit_difference_s", known(r.visit_length, r.visit_length.value)},
      {"visit_difference_low_s", known(r.visit_length, r.visit_length.low)},
      {"visit_difference_high_s", known(r.visit_length, r.visit_length.high)},
      {"shown", to_string(r.conclusion)},
      {"shown_by", r.by_charge ? "charge_per_visit" : "mean"},
      {"not_shown_among_tests",
       r.conclusion == Conclusion::none &&
           (r.mean.not_shown_among_many() || r.charge_per_visit.not_shown_among_many())},
      {"p", r.mean.tested ? json_number(r.mean.p) : json(nullptr)},
      {"bridge_a", r.bridge},
      {"level_part_a", r.level_part},
      {"length_part_a", r.length_part},
      {"lower_bound", bounds.lower},
      {"upper_bound", bounds.upper}};
  explain_in(out, explain,
             {{"difference_a", r.mean.components},
              {"charge_per_visit_difference_c", r.charge_per_visit.components},
              {"visit_difference_s", r.visit_length.components}});
  return out;
}

json same_use_json(const SameUse& s, Explain explain) {
  json common = json::array();
  for (const CommonLength& l : s.common) {
    common.push_back({{"state", l.state},
                      {"why", l.given ? "given" : "not shown"},
                      {"length_s", l.length_s},
                      {"could_hide_a", json_number(l.could_hide)}});
  }
  json out{{"difference_a", json_number(s.difference.value)},
           {"difference_low_a", json_number(s.difference.low)},
           {"difference_high_a", json_number(s.difference.high)},
           {"shown", to_string(s.conclusion)},
           {"p", json_number(s.difference.p)},
           {"could_hide_a", s.could_hide},
           {"common_lengths", common},
           {"own_lengths", s.own}};
  explain_in(out, explain, {{"difference_a", s.difference.components}});
  return out;
}

}  // namespace

json to_json(const Comparison& c, Explain explain) {
  json unlike = json::array(), rows = json::array();
  for (const ConditionMismatch& u : c.unlike) {
    unlike.push_back(
        {{"condition", u.condition}, {"reference", u.reference}, {"candidate", u.candidate}});
  }
  for (const CompareRow& r : c.rows) rows.push_back(row_json(r, explain));
  const auto known = [&](double value) {
    return c.total.known ? json_number(value) : json(nullptr);
  };
  json total{{"of", c.field ? "field" : "captures"},
             {"reference_mean_a", json_number(c.reference_mean)},
             {"candidate_mean_a", json_number(c.candidate_mean)},
             {"difference_a", known(c.total.value)},
             {"difference_low_a", known(c.total.low)},
             {"difference_high_a", known(c.total.high)},
             {"shown", to_string(c.total_conclusion)},
             {"lower_bound", c.total.bounds.lower},
             {"upper_bound", c.total.bounds.upper}};
  explain_in(total, explain, {{"difference_a", c.total.components}});
  return {{"reference", c.reference},
          {"candidate", c.candidate},
          {"alike", c.alike()},
          {"unlike", unlike},
          {"rows", rows},
          {"total", total},
          {"same_use", c.same_use ? same_use_json(*c.same_use, explain) : json(nullptr)},
          {"unnamed", to_json(c.unnamed_candidate, c.candidate,
                              to_json(c.unnamed_reference, c.reference, json::array()))},
          {"single_visit", c.single},
          {"tests", c.tests},
          {"holds_for", c.of_builds ? "builds" : "these captures"},
          {"accuracy_stated", c.accuracy_stated}};
}

json to_json(const Budget& budget, const std::string& build, const CheckResult& result,
             Explain explain) {
  json limits = json::array();
  for (const LimitResult& r : result.limits) {
    const Limit& l = *r.limit;
    const bool known = r.measured.has_value();
    json item{{"name", l.name()},
              {"state", l.scope == Scope::state ? json(l.state) : json(nullptr)},
              {"quantity", info(l.quantity).name},
              {"measured", json_number(r.measured)},
              {"uncertainty", known ? json_number(r.U) : json(nullptr)},
              {"low", known ? json_number(r.low) : json(nullptr)},
              {"high", known ? json_number(r.high) : json(nullptr)},
              {"coverage_factor",
               known && r.coverage_factor > 0 ? json_number(r.coverage_factor) : json(nullptr)},
              {"lower_bound", r.bounds.lower},
              {"upper_bound", r.bounds.upper},
              {"single_visit", r.single_visit},
              {"accuracy_stated", r.accuracy_stated},
              {"visits", r.visits > 0 ? json(r.visits) : json(nullptr)},
              {"expected", json_number(l.expect)},
              {"limit", json_number(l.max ? l.max : l.min)},
              {"headroom", json_number(r.headroom)},
              {"verdict", to_string(r.verdict)},
              {"note", r.note},
              {"unit", info(l.quantity).unit()},
              {"needed", r.needed_visits ? json{{"visits", *r.needed_visits}} : json(nullptr)}};
    explain_in(item, explain, {{"measured", r.components}});
    limits.push_back(std::move(item));
  }
  return {{"budget", budget.name},
          {"build", build},
          {"limits", limits},
          {"unnamed", to_json(result.unnamed, "", json::array())},
          {"verdict", to_string(result.verdict)}};
}

json to_json(const LifeDocument& d, Explain explain) {
  const FieldMean& mean = d.mean;
  const LifeInterval& life = d.life;
  const double usable = d.battery.usable_c();
  json shares = json::array();
  for (const Share& s : mean.shares) {
    const bool known = life.life && usable > 0;
    shares.push_back({{"state", s.state},
                      {"share", known ? json(s.current * *life.life / usable) : json(nullptr)}});
  }
  if (life.life && usable > 0) {
    if (mean.once_charge > 0)
      shares.push_back({{"state", "once"}, {"share", mean.once_charge / usable}});
    const double left = 1 - (mean.mean * *life.life + mean.once_charge) / usable;
    if (d.battery.self_discharge_hz > 0)
      shares.push_back({{"state", "self-discharge"}, {"share", left}});
  }
  json out{{"mean_a", mean.mean},
           {"mean_u_a", json_number(mean.mean_u.U)},
           {"mean_u_factor", json_number(mean.mean_u.coverage_factor)},
           {"of", mean.of},
           {"usable_c", usable},
           {"life_s", json_number(life.life)},
           {"life_low_s", json_number(life.low)},
           {"life_high_s", json_number(life.high)},
           {"counts", d.counts == Counts::chance ? "chance" : "given"},
           {"by_chance", life.has_chance ? json{{"life_low_s", json_number(life.chance_low)},
                                                {"life_high_s", json_number(life.chance_high)}}
                                         : json(nullptr)},
           {"unlimited", life.unlimited},
           {"shares", shares},
           {"needed_c", d.wanted_s ? json_number(needed_capacity(d.battery, mean.mean, *d.wanted_s,
                                                                 mean.once_charge))
                                   : json(nullptr)},
           {"unnamed", to_json(mean.unnamed, "", json::array())},
           {"single_visit", !mean.single.empty()},
           {"single", mean.single},
           {"decided_by", mean.decided_by},
           {"accuracy_stated", mean.accuracy_stated},
           {"lower_bound", mean.bounds.lower},
           {"upper_bound", mean.bounds.upper},
           {"not_used", d.battery.not_used}};
  if (d.wanted_s) {
    const Verdict v = judge_life(life, *d.wanted_s, d.counts);
    out["verdict"] = v == Verdict::outside ? "missed" : v == Verdict::within ? "met" : "too close";
  }
  explain_in(out, explain, {{"mean_a", mean.components}});
  return out;
}

json to_json(const std::vector<book::Problem>& problems) {
  json list = json::array();
  for (const book::Problem& p : problems) {
    list.push_back({{"capture", p.capture}, {"where", p.where}, {"what", p.what}});
  }
  return {{"ok", problems.empty()}, {"problems", list}};
}

}  // namespace kuvio::formats
