// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/html_report.h"

#include "core/present.h"
#include "formats/junit.h"
#include "formats/svg_plot.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace kuvio::formats {
namespace {

std::string esc(const std::string& text) { return escape_xml(text); }

std::string mark(Verdict verdict) {
  switch (verdict) {
    case Verdict::within:
      return "✓ within";
    case Verdict::over:
      return "<b class=\"over\">✗ over</b>";
    case Verdict::too_close:
      return "≈ too close";
    case Verdict::no_data:
      return "– no data";
  }
  return "";
}

std::string figure(double value, double U, const std::string& unit) {
  return unit == "s" && value > 86400 * 2 ? life_time(value) : with_uncertainty(value, U, unit);
}

std::string style() {
  return fmt::format(
      "<style>body{{background:{};color:{};font:13px/1.5 "
      "Inter,sans-serif;max-width:960px;margin:32px auto;padding:0 16px}}"
      "h1{{font-size:22px;font-weight:600}}h2{{font-size:16px;font-weight:600;margin-top:36px}}"
      "table{{border-collapse:collapse;font-variant-numeric:tabular-nums;width:100%}}"
      "th{{text-align:right;font-weight:600;font-size:11px;color:{}}}td{{text-align:right;padding:"
      "3px 8px}}"
      "th:first-child,td:first-child{{text-align:left}}tr{{border-top:1px solid "
      "{}}}.muted{{color:{}}}.over{{color:{}}}</style>",
      kPaper.ground, kPaper.text, kPaper.muted, kPaper.ruling, kPaper.muted, kPaper.accent);
}

std::string budget_section(const ReportContent& c) {
  if (!c.budget) return "";
  std::string out =
      "<h2>" + esc(c.budget->name) + "</h2><table><tr><th>limit</th><th>at most / at least</th>";
  for (const auto& [build, check] : c.checks) out += "<th>" + esc(build) + "</th><th></th>";
  out += "</tr>";
  for (std::size_t i = 0; i < c.budget->limits.size(); ++i) {
    const Limit& l = c.budget->limits[i];
    const std::string unit(unit_of(l.quantity));
    const std::string bound =
        l.max ? "≤ " + figure(*l.max, 0, unit) : "≥ " + figure(l.min.value_or(0), 0, unit);
    out += "<tr><td>" + esc(l.name()) + "</td><td>" + bound + "</td>";
    for (const auto& [build, check] : c.checks) {
      const LimitResult& r = check.limits[i];
      out += "<td>" +
             (r.measured ? (r.lower_bound ? "≥ " : "") + figure(*r.measured, r.U, unit) : "–") +
             "</td><td>" + mark(r.verdict) + "</td>";
    }
    out += "</tr>";
  }
  return out + "</table>";
}

std::string life_section(const ReportContent& c) {
  if (c.lives.empty()) return "";
  std::string out = "<h2>Battery life" + (c.battery.empty() ? "" : ": " + esc(c.battery)) +
                    "</h2><table><tr><th>build</th><th>mean current in the "
                    "field</th><th>life</th><th>95 % interval</th></tr>";
  for (const LifeResult& l : c.lives) {
    out += fmt::format("<tr><td>{}</td><td>{}</td><td>{}</td><td>{} … {}</td></tr>", esc(l.build),
                       with_prefix(l.mean_a, "A", 3), life_time(l.life_s), life_time(l.low_s),
                       life_time(l.high_s));
  }
  return out + "</table>";
}

std::string comparison_section(const Comparison& c,
                               const std::map<std::string, std::size_t>& fills) {
  std::string out = fmt::format("<h2>{} against {}</h2>", esc(c.candidate), esc(c.reference));
  if (!c.missing.empty())
    out += "<p class=\"muted\">No visit to " + esc(c.missing.front()) +
           ": the field means cannot be told.</p>";
  if (c.total.known) {
    const double U = (c.total.high - c.total.low) / 2;
    out += fmt::format("<p>{} draws {} {} than {}{}.</p>", esc(c.candidate),
                       with_uncertainty(std::abs(c.total.value), U, "A"),
                       c.total.value >= 0 ? "more" : "less", esc(c.reference),
                       c.field ? " in the field" : " in these captures");
  }
  for (const Unlike& u : c.unlike) {
    out += fmt::format("<p class=\"over\">Not alike: {} {} / {}</p>", esc(u.condition),
                       esc(u.reference), esc(u.candidate));
  }
  out += bridge_svg(c, fills);
  out +=
      "<table><tr><th>state</th><th>reference</th><th>candidate</th><th>difference of the mean, 95 "
      "%</th><th>per visit</th><th>bridge</th><th>shown</th></tr>";
  for (const CompareRow& r : c.rows) {
    if (!r.mean.known) continue;
    out += fmt::format(
        "<tr><td>{}</td><td>{}</td><td>{}</td><td>{} … "
        "{}</td><td>{}</td><td>{}</td><td>{}</td></tr>",
        esc(r.state), with_prefix(*r.reference_mean, "A", 3),
        with_prefix(*r.candidate_mean, "A", 3), signed_prefix(r.mean.low, "A", 2),
        signed_prefix(r.mean.high, "A", 2),
        r.charge_per_visit.known ? signed_prefix(r.charge_per_visit.value, "C", 2) : "–",
        signed_prefix(r.bridge, "A", 2), to_string(r.shown));
  }
  return out + "</table>";
}

std::string capture_section(const book::SplitCapture& capture,
                            const std::map<std::string, std::size_t>& fills, const char* ink) {
  const Ledger ledger = make_ledger({{capture.trace.get(), capture.visits}}, capture.basis());
  std::string out = fmt::format("<h2>{} <span class=\"muted\">{} · {} · {}</span></h2>",
                                esc(capture.info.name), esc(capture.info.build),
                                duration(capture.info.duration_s()), esc(capture.info.started_utc));
  if (capture.info.interrupted)
    out += "<p class=\"over\">Interrupted: " + esc(capture.info.end_reason) + "</p>";
  out += trace_svg(capture, ledger, fills, ink);
  out +=
      "<table><tr><th>state</th><th>visits</th><th>time</th><th>mean</th><th>charge</th><th>share</"
      "th><th>per visit</th><th>peak</th></tr>";
  for (const LedgerRow& r : ledger.rows) {
    out += fmt::format(
        "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}{}</td><td>{}</td><td>{}</"
        "td><td>{}</td></tr>",
        esc(r.state), r.visits, with_prefix(r.time_s, "s", 4),
        r.mean ? with_uncertainty(*r.mean, r.mean_u.U, "A") : "–", r.lower_bound ? "≥ " : "",
        with_uncertainty(r.charge, r.charge_u.U, "C"), percent(r.charge_share),
        r.whole_visits ? with_uncertainty(r.charge_per_visit.mean, r.charge_per_visit_u.U, "C")
                       : "–",
        r.peak ? with_prefix(*r.peak, "A", 3) : "–");
  }
  out += fmt::format(
      "<tr><td><b>Whole "
      "capture</b></td><td></td><td><b>{}</b></td><td><b>{}</b></td><td><b>{}</b></td><td></"
      "td><td></td><td></td></tr></table>",
      with_prefix(ledger.time_s, "s", 4),
      ledger.mean ? with_uncertainty(*ledger.mean, ledger.mean_u.U, "A") : "–",
      with_uncertainty(ledger.charge, ledger.mean_u.U * ledger.observed_s(), "C"));
  std::string conditions;
  for (const auto& [key, value] : capture.info.conditions)
    conditions += (conditions.empty() ? "" : " · ") + esc(key) + ": " + esc(value);
  return out + "<p class=\"muted\">" + conditions + "</p>";
}

}  // namespace

std::string html_report(const ReportContent& c) {
  std::string longest;
  double most = -1;
  std::map<std::string, double> times;
  for (const auto& capture : *c.captures) {
    for (const VisitFigures& v : capture.visits) times[v.visit.state] += v.visit.length_s();
  }
  for (const auto& [state, time] : times) {
    if (!is_built_in_state(state) && time > most) {
      most = time;
      longest = state;
    }
  }
  const auto fills = assign_fills(c.state_order, longest);
  std::string out = "<!DOCTYPE html><html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
                    esc(c.title) + "</title>" + style() + "</head><body><h1>" + esc(c.title) +
                    "</h1>";
  out += budget_section(c) + life_section(c);
  for (const Comparison& comparison : c.comparisons) out += comparison_section(comparison, fills);
  std::map<std::string, std::size_t> inks;
  for (const auto& capture : *c.captures) {
    const auto it = inks.emplace(capture.info.build, inks.size()).first;
    out += capture_section(capture, fills, kPaper.inks[it->second % kPaper.inks.size()]);
  }
  return out + "</body></html>\n";
}

}  // namespace kuvio::formats
