// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/html_report.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/number_text.h"
#include "formats/junit.h"
#include "formats/palette.h"
#include "formats/phrases.h"
#include "formats/svg_plot.h"
#include "formats/xml_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace kuvio::formats {
namespace {

std::string esc(const std::string& text) { return escape_xml(text); }

std::string mark(Verdict verdict) {
  const std::string text = verdict_text(verdict);
  return verdict == Verdict::outside ? "<b class=\"over\">" + text + "</b>" : text;
}

std::string paragraphs(const std::vector<std::string>& lines) {
  std::string out;
  for (const std::string& line : lines) out += "<p class=\"muted\">" + esc(line) + ".</p>";
  return out;
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
    out += "<tr><td>" + esc(l.name()) + "</td><td>" + limit_text(l) + "</td>";
    for (const auto& [build, check] : c.checks) {
      const LimitResult& r = check.limits[i];
      out += "<td title=\"" + esc(r.note) + "\">" + measured_text(r) + "</td><td>" +
             mark(r.verdict) + "</td>";
    }
    out += "</tr>";
  }
  out += "</table>";
  for (const auto& [build, check] : c.checks) {
    for (const LimitResult& r : check.limits) {
      if (!r.note.empty())
        out += "<p class=\"muted\">" + esc(build) + ", " + esc(r.limit->name()) + ": " +
               esc(r.note) + ".</p>";
    }
    if (const std::string left = unnamed_text(check.unnamed, build); !left.empty())
      out += "<p class=\"over\">" + esc(left) + ".</p>";
  }
  return out;
}

std::string life_section(const ReportContent& c) {
  if (c.lives.empty()) return "";
  std::string out = "<h2>Battery life" + (c.battery.empty() ? "" : ": " + esc(c.battery)) +
                    "</h2><table><tr><th>build</th><th>mean current in the "
                    "field</th><th>life</th><th>95 % interval</th></tr>";
  for (const LifeResult& l : c.lives) {
    out += fmt::format(
        "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>", esc(l.build),
        bounds_mark(l.mean.bounds) + with_uncertainty(l.mean.mean, l.mean.mean_u.U, "A"),
        bounds_mark(l.life.bounds) + life_end(l.life.life), life_range(l.life.low, l.life.high));
  }
  out += "</table>";
  for (const LifeResult& l : c.lives) {
    if (const std::string left = unnamed_text(l.mean.unnamed, l.build); !left.empty())
      out += "<p class=\"over\">" + esc(left) + ".</p>";
    if (!l.mean.accuracy_stated)
      out += "<p class=\"muted\">" + esc(l.build) + ": accuracy not stated.</p>";
  }
  return out;
}

std::string comparison_section(const Comparison& c,
                               const std::map<std::string, std::size_t>& fills) {
  std::string out = fmt::format("<h2>{} against {}</h2>", esc(c.candidate), esc(c.reference));
  if (!c.missing.empty())
    out += "<p class=\"muted\">No visit to " + esc(c.missing.front()) +
           ": field means cannot be calculated.</p>";
  if (const std::string same = same_use_sentence(c); !same.empty())
    out += "<p><b>" + esc(same) + "</b></p>" + paragraphs(common_length_lines(c));
  if (c.total.known) {
    out += fmt::format("<p>{} draws {}{} {} than {}{}.</p>", esc(c.candidate),
                       bounds_mark(c.total.bounds),
                       with_uncertainty(std::abs(c.total.value), c.total.U(), "A"),
                       c.total.value >= 0 ? "more" : "less", esc(c.reference),
                       c.field ? " in the field" : " in these captures");
  }
  out += paragraphs(comparison_remarks(c));
  for (const ConditionMismatch& u : c.unlike) {
    out += fmt::format("<p class=\"over\">Not alike: {} {} / {}</p>", esc(u.condition),
                       esc(u.reference), esc(u.candidate));
  }
  out += bridge_svg(c, fills);
  out +=
      "<table><tr><th>state</th><th>reference</th><th>candidate</th><th>difference of means, 95 "
      "%</th><th>per visit</th><th>bridge</th><th>shown</th></tr>";
  for (const std::vector<std::string>& cells : comparison_cells(c)) {
    out += "<tr>";
    for (const std::string& cell : cells) out += "<td>" + esc(cell) + "</td>";
    out += "</tr>";
  }
  return out + "</table>";
}

std::string capture_section(const book::SplitCapture& capture,
                            const std::map<std::string, std::size_t>& fills, const char* ink) {
  const Ledger ledger = make_ledger({capture.account()});
  std::string out = fmt::format("<h2>{} <span class=\"muted\">{} · {} · {}</span></h2>",
                                esc(capture.info.name), esc(capture.info.build),
                                duration(capture.info.duration_s()), esc(capture.info.started_utc));
  if (capture.info.interrupted)
    out += "<p class=\"over\">Interrupted: " + esc(capture.info.end_reason) + "</p>";
  if (capture.trace) out += trace_svg(capture, ledger, fills, ink);
  out +=
      "<table><tr><th>state</th><th>visits</th><th>time</th><th>mean</th><th>charge</th><th>share</"
      "th><th>per visit</th><th>peak</th></tr>";
  for (const LedgerRow& r : ledger.rows) {
    if (capture.info.typed && !r.typed) continue;
    const std::string charge =
        bounds_mark(r.bounds) + with_uncertainty(r.charge, r.charge_u.U, "C");
    out += fmt::format(
        "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</"
        "td><td>{}</td></tr>",
        esc(r.state), r.visits, r.typed ? "typed" : with_prefix(r.time_s, "s", 4),
        r.mean ? with_uncertainty(*r.mean, r.mean_u.U, "A") : "–", r.typed ? "–" : charge,
        r.typed ? "–" : percent(r.charge_share),
        r.whole_visits ? with_uncertainty(r.charge_per_visit.mean, r.charge_per_visit_u.U, "C")
                       : "–",
        r.peak ? bounds_mark(r.bounds) + with_prefix(*r.peak, "A", 3) : "–");
  }
  if (capture.info.typed)
    out += "</table>";
  else
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
  for (const book::SplitCapture* capture : c.captures) {
    for (const VisitFigures& v : capture->visits) times[v.visit.state] += v.visit.length_s();
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
  for (const book::SplitCapture* capture : c.captures) {
    const auto it = inks.emplace(capture->info.build, inks.size()).first;
    out += capture_section(*capture, fills, kPaper.inks[it->second % kPaper.inks.size()]);
  }
  return out + "</body></html>\n";
}

}  // namespace kuvio::formats
