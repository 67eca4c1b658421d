// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/account_results.h"

#include "core/convergence.h"
#include "core/latency.h"
#include "core/ledger.h"
#include "core/line_fit.h"
#include "core/number_text.h"
#include "core/transitions.h"
#include "core/visit_counts.h"
#include "core/visit_survey.h"
#include "formats/json_number.h"

#include <fmt/format.h>

#include <cmath>

namespace kuvio::formats {
namespace {

using json = nlohmann::ordered_json;

std::string key(const char* name, VisitMeasure measure) {
  const std::string unit = unit_of(measure);
  return std::string(name) + (unit == "C" ? "_c" : unit == "s" ? "_s" : "_a");
}

}  // namespace

json to_json(const VisitSurvey& survey, const std::vector<VisitFigures>& visits) {
  json out{{"state", survey.state}, {"visits", json::array()}, {"usual", json::object()}};
  for (const std::size_t i : survey.visits) {
    const VisitFigures& f = visits[i];
    json odd = json::array();
    for (const OddVisit& o : survey.odd) {
      if (o.visit == i) odd.push_back(to_string(o.measure));
    }
    out["visits"].push_back({{"from_s", f.visit.from_s},
                             {"to_s", f.visit.to_s},
                             {"length_s", f.visit.length_s()},
                             {"whole", f.visit.whole},
                             {"narrow", f.visit.narrow},
                             {"charge_c", f.charge},
                             {"mean_a", json_number(f.mean)},
                             {"peak_a", json_number(f.peak)},
                             {"missing_s", f.missing_s},
                             {"lower_bound", f.bounds.lower},
                             {"upper_bound", f.bounds.upper},
                             {"odd", odd}});
  }
  for (const UsualVisit& u : survey.usual) {
    out["usual"][std::string(to_string(u.measure))] = {
        {"visits", u.visits},
        {key("median", u.measure), u.median},
        {key("least", u.measure), u.least},
        {key("most", u.measure), u.most},
        {key("low", u.measure), json_number(u.low)},
        {key("high", u.measure), json_number(u.high)}};
  }
  return out;
}

json to_json(const Transitions& transitions) {
  json out = json::array();
  for (const Transition& t : transitions.all) {
    const bool seen = t.longest_s > 0;
    const auto known = [&](double s) { return seen ? json(s) : json(nullptr); };
    out.push_back({{"from", t.from},
                   {"to", t.to},
                   {"count", t.count},
                   {"share", t.share},
                   {"stay_median_s", known(t.median_s)},
                   {"stay_shortest_s", known(t.shortest_s)},
                   {"stay_longest_s", known(t.longest_s)},
                   {"first_s", t.first_s}});
  }
  return out;
}

json to_json(const WayComparison& ways, const std::string& reference) {
  json pairs = json::array();
  for (const WayDifference& d : ways.pairs) {
    pairs.push_back({{"from", d.from},
                     {"to", d.to},
                     {"conclusion", to_string(d.way)},
                     {"count", d.count},
                     {"exits", d.exits},
                     {"reference_count", d.reference_count},
                     {"reference_exits", d.reference_exits},
                     {"p", d.p},
                     {"first_s", d.count > 0 ? json(d.first_s) : json(nullptr)}});
  }
  return {{"reference", reference},
          {"pairs", pairs},
          {"new_states", ways.new_states},
          {"lost_states", ways.lost_states}};
}

json to_json(const Latency& l) {
  json waits = json::array();
  for (const Wait& w : l.waits)
    waits.push_back({{"at_s", w.at_s}, {"entered_s", w.entered_s}, {"latency_s", w.length_s()}});
  const bool any = !l.waits.empty();
  const auto known = [&](double s) { return any ? json(s) : json(nullptr); };
  return {{"count", l.waits.size()},
          {"missed", l.missed.size()},
          {"unseen", l.unseen.size()},
          {"mean_s", known(l.length.mean)},
          {"sd_s", l.waits.size() > 1 ? json(l.length.sd) : json(nullptr)},
          {"median_s", known(l.median_s)},
          {"p90_s", l.waits.size() >= 10 ? json(l.p90_s) : json(nullptr)},
          {"shortest_s", known(l.shortest_s)},
          {"longest_s", known(l.longest_s)},
          {"waits", waits},
          {"missed_s", l.missed}};
}

json to_json(const Convergence& convergence) {
  json steps = json::array();
  for (const RunningMean& r : convergence.steps)
    steps.push_back({{"cycles", r.cycles}, {"mean_a", r.mean}, {"mean_u_a", json_number(r.U)}});
  const auto within = convergence.within(0.01);
  return {{"within_1_percent_cycles", within ? json(*within) : json(nullptr)}, {"steps", steps}};
}

json to_json(const LineFit& line, const VisitCounts& counts,
             const std::vector<VisitFigures>& visits, const Accuracy& accuracy) {
  const FittedU u = fitted_u(line, counts, visits, accuracy);
  json points = json::array();
  for (const FitPoint& p : counts.points) points.push_back({p.x, p.y});
  return {{"visits", line.points},
          {"from", line.from_x},
          {"to", line.to_x},
          {"slope_c", line.slope},
          {"slope_u_c", json_number(u.slope)},
          {"base_c", line.base},
          {"base_u_c", json_number(u.base)},
          {"scatter_c", line.freedom ? json(line.scatter) : json(nullptr)},
          {"straight_p", json_number(line.straight_p)},
          {"lines_outside", counts.outside},
          {"lines_in_cut_visits", counts.in_cut},
          {"visits_without", counts.without},
          {"points", points}};
}

std::string way_sentence(const WayDifference& d, const std::string& reference) {
  const std::string here = fmt::format("{} to {}: {} of {} exits", d.from, d.to, d.count, d.exits);
  const std::string there =
      fmt::format("{} of {} in {}", d.reference_count, d.reference_exits, reference);
  switch (d.way) {
    case Way::alike:
      return "";
    case Way::fresh:
      return here + ", never in " + reference + fmt::format(" ({} exits)", d.reference_exits);
    case Way::gone:
      return fmt::format("{} to {}: never in {} exits, {}", d.from, d.to, d.exits, there);
    case Way::more:
      return here + ", more than " + there;
    case Way::less:
      return here + ", fewer than " + there;
    case Way::unsure:
      return d.reference_exits == 0
                 ? here + fmt::format(", {} was never left in {}", d.from, reference)
             : d.exits == 0
                 ? fmt::format("{} to {}: {}, {} was never left here", d.from, d.to, there, d.from)
             : d.count == 0 ? fmt::format("{} to {}: never in {} exits, {}: may be chance", d.from,
                                          d.to, d.exits, there)
                            : here + fmt::format(", never in {} ({} exits): may be chance",
                                                 reference, d.reference_exits);
  }
  return "";
}

std::string convergence_sentence(const Convergence& convergence) {
  if (convergence.steps.empty()) return "";
  const RunningMean& end = convergence.steps.back();
  if (const auto n = convergence.within(0.01)) return fmt::format("mean ± 1 % after {} cycles", *n);
  if (!std::isfinite(end.U) || end.mean == 0) return "";
  return fmt::format("mean ± {} after {} cycles", percent(end.U / std::fabs(end.mean)), end.cycles);
}

std::string latency_sentence(const std::string& state, const Latency& latency) {
  const std::size_t seen = latency.waits.size() + latency.missed.size();
  if (seen + latency.unseen.size() == 0) return "nothing of the kind happened in this capture";
  std::string out = fmt::format("{} entered {} of {} times", state, latency.waits.size(), seen);
  if (!latency.waits.empty())
    out += fmt::format(
        ", after {} as a median ({} to {}{})", duration(latency.median_s),
        duration(latency.shortest_s), duration(latency.longest_s),
        latency.waits.size() >= 10 ? ", nine of ten by " + duration(latency.p90_s) : "");
  if (!latency.unseen.empty())
    out += fmt::format("; what came after {} more was not seen", latency.unseen.size());
  return out;
}

}  // namespace kuvio::formats
