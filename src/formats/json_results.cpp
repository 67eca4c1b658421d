// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/json_results.h"

#include <cmath>

namespace kuvio::formats {
namespace {

using json = nlohmann::ordered_json;

json number(double value) { return std::isfinite(value) ? json(value) : json(nullptr); }
json number(const std::optional<double>& value) { return value ? number(*value) : json(nullptr); }

std::string suffix(const std::string& unit) {
  std::string out = "_" + unit;
  for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

}  // namespace

json to_json(const book::CaptureInfo& c) {
  json channels = json::array();
  for (const book::ChannelInfo& channel : c.channels) {
    channels.push_back(
        {{"name", channel.name},
         {"quantity", channel.quantity},
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
          {"channels", channels},
          {"log_lines", c.log_lines},
          {"conditions", c.conditions}};
}

json to_json(const SpanFigures& s, const book::ChannelInfo& channel, const Basis& basis) {
  const std::string unit = suffix(channel.unit);
  const bool current = channel.quantity == "current";
  json mean_u = nullptr, charge_u = nullptr;
  if (s.mean() && current && (basis.accuracy.gain > 0 || basis.accuracy.offset > 0)) {
    const double u = combine(accuracy_components(basis.accuracy, *s.mean())).U;
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
           {"mean" + unit, number(s.mean())},
           {"mean_u" + unit, mean_u},
           {"min" + unit, number(s.min)},
           {"max" + unit, number(s.max)},
           {"rms" + unit, number(s.rms())},
           {"rms_lower_bound", channel.kind == SampleKind::averaged}};
  if (current) {
    out["charge_c"] = number(s.charge);
    out["charge_u_c"] = charge_u;
    out["energy_j"] = basis.voltage > 0 ? number(s.charge * basis.voltage) : json(nullptr);
    out["energy_from"] = basis.voltage > 0 ? json("nominal supply voltage") : json(nullptr);
  }
  out["flagged"] = {{"over_range", s.over_range},
                    {"not_a_number", s.not_a_number},
                    {"dropped", s.dropped},
                    {"range_change", s.range_change}};
  out["lower_bound"] = s.lower_bound();
  return out;
}

json to_json(const std::string& recipe, const std::vector<VisitFigures>& visits) {
  json list = json::array();
  for (const VisitFigures& f : visits) {
    list.push_back({{"state", f.visit.state},
                    {"from_s", f.visit.from_s},
                    {"to_s", f.visit.to_s},
                    {"whole", f.visit.whole},
                    {"mean_a", number(f.mean)},
                    {"charge_c", f.charge},
                    {"peak_a", number(f.peak)}});
  }
  return {{"recipe", recipe}, {"visits", list}};
}

json to_json(const std::string& capture, const Ledger& ledger, const Cycles& cycles) {
  json rows = json::array();
  const bool accuracy = ledger.basis.accuracy.gain > 0 || ledger.basis.accuracy.offset > 0;
  for (const LedgerRow& r : ledger.rows) {
    const bool known_u = r.mean && (accuracy || r.level.n >= 2);
    const bool any_whole = r.whole_visits > 0;
    rows.push_back(
        {{"state", r.state},
         {"visits", r.visits},
         {"time_s", r.time_s},
         {"time_share", r.time_share},
         {"mean_a", number(r.mean)},
         {"mean_u_a", known_u ? json(r.mean_u.U) : json(nullptr)},
         {"settled_a", number(r.settled)},
         {"charge_c", r.charge},
         {"charge_u_c", known_u ? json(r.charge_u.U) : json(nullptr)},
         {"charge_share", r.charge_share},
         {"charge_per_visit_c", any_whole ? json(r.charge_per_visit.mean) : json(nullptr)},
         {"charge_per_visit_u_c",
          any_whole && known_u ? json(r.charge_per_visit_u.U) : json(nullptr)},
         {"charge_per_visit_sd_c",
          r.whole_visits >= 2 ? json(r.charge_per_visit.sd) : json(nullptr)},
         {"charge_per_visit_min_c", any_whole ? json(r.charge_per_visit_min) : json(nullptr)},
         {"charge_per_visit_max_c", any_whole ? json(r.charge_per_visit_max) : json(nullptr)},
         {"whole_visits", r.whole_visits},
         {"visit_s", any_whole ? json(r.visit_length.mean) : json(nullptr)},
         {"energy_j", number(r.energy)},
         {"peak_a", number(r.peak)},
         {"lower_bound", r.lower_bound}});
  }
  json out{{"capture", capture},
           {"rows", rows},
           {"total",
            {{"time_s", ledger.time_s},
             {"missing_s", ledger.missing_s},
             {"off_s", ledger.off_s},
             {"charge_c", ledger.charge},
             {"mean_a", number(ledger.mean)},
             {"mean_u_a", accuracy && ledger.mean ? json(ledger.mean_u.U) : json(nullptr)},
             {"lower_bound", ledger.lower_bound}}}};
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

json to_json(const Comparison& c) {
  json unlike = json::array(), rows = json::array();
  for (const Unlike& u : c.unlike) {
    unlike.push_back(
        {{"condition", u.condition}, {"reference", u.reference}, {"candidate", u.candidate}});
  }
  const auto known = [](const Difference& d, double value) {
    return d.known ? number(value) : json(nullptr);
  };
  for (const CompareRow& r : c.rows) {
    rows.push_back(
        {{"state", r.state},
         {"reference_mean_a", number(r.reference_mean)},
         {"candidate_mean_a", number(r.candidate_mean)},
         {"difference_a", known(r.mean, r.mean.value)},
         {"difference_low_a", known(r.mean, r.mean.low)},
         {"difference_high_a", known(r.mean, r.mean.high)},
         {"charge_per_visit_difference_c", known(r.charge_per_visit, r.charge_per_visit.value)},
         {"charge_per_visit_difference_low_c", known(r.charge_per_visit, r.charge_per_visit.low)},
         {"charge_per_visit_difference_high_c", known(r.charge_per_visit, r.charge_per_visit.high)},
         {"visit_difference_s", known(r.visit_length, r.visit_length.value)},
         {"shown", to_string(r.shown)},
         {"shown_by", r.by_charge ? "charge_per_visit" : "mean"},
         {"bridge_a", r.bridge}});
  }
  return {{"reference", c.reference},
          {"candidate", c.candidate},
          {"alike", c.alike()},
          {"unlike", unlike},
          {"rows", rows},
          {"total",
           {{"of", c.field ? "field" : "captures"},
            {"reference_mean_a", number(c.reference_mean)},
            {"candidate_mean_a", number(c.candidate_mean)},
            {"difference_a", known(c.total, c.total.value)},
            {"difference_low_a", known(c.total, c.total.low)},
            {"difference_high_a", known(c.total, c.total.high)},
            {"shown", to_string(c.total_shown)}}}};
}

json to_json(const Budget& budget, const std::string& build, const CheckResult& result) {
  json limits = json::array();
  for (const LimitResult& r : result.limits) {
    const Limit& l = *r.limit;
    const bool known = r.measured.has_value();
    limits.push_back({{"name", l.name()},
                      {"state", l.scope == Scope::state ? json(l.state) : json(nullptr)},
                      {"quantity", to_string(l.quantity)},
                      {"measured", number(r.measured)},
                      {"uncertainty", known ? number(r.U) : json(nullptr)},
                      {"low", known ? number(r.low) : json(nullptr)},
                      {"high", known ? number(r.high) : json(nullptr)},
                      {"coverage_factor", known ? number(r.coverage_factor) : json(nullptr)},
                      {"lower_bound", r.lower_bound},
                      {"single_visit", r.single_visit},
                      {"expected", number(l.expect)},
                      {"limit", number(l.max ? l.max : l.min)},
                      {"headroom", number(r.headroom)},
                      {"verdict", to_string(r.verdict)},
                      {"note", r.note},
                      {"unit", unit_of(l.quantity)}});
  }
  return {{"budget", budget.name},
          {"build", build},
          {"limits", limits},
          {"verdict", to_string(result.verdict)}};
}

json to_json(const std::vector<book::Problem>& problems) {
  json list = json::array();
  for (const book::Problem& p : problems) {
    list.push_back({{"capture", p.capture}, {"where", p.where}, {"what", p.what}});
  }
  return {{"ok", problems.empty()}, {"problems", list}};
}

}  // namespace kuvio::formats
