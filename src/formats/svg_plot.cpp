// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/svg_plot.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/compare.h"
#include "core/envelope.h"
#include "core/fan.h"
#include "core/level_scale.h"
#include "core/number_text.h"
#include "formats/junit.h"
#include "formats/palette.h"
#include "formats/xml_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::formats {
namespace {

constexpr double kLeft = 64, kWidth = 836;

std::string text_at(double x, double y, const std::string& text, const char* anchor = "start",
                    const char* extra = "") {
  return fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" text-anchor=\"{}\" {}>{}</text>", x, y,
                     anchor, extra, escape_xml(text));
}

std::string fill_of(const std::string& state, const std::map<std::string, std::size_t>& fills) {
  if (state == kUnassigned) return "url(#hatch)";
  if (state == kMissing) return "url(#cross)";
  if (state == kOff) return kPaper.ground;
  const auto it = fills.find(state);
  return kPaper.fills[(it == fills.end() ? 0 : it->second) % kPaper.fills.size()];
}

std::string open_svg(double height) {
  return fmt::format(
      "<svg viewBox=\"0 0 910 {:.0f}\" width=\"910\" height=\"{:.0f}\" font-family=\"Inter, "
      "sans-serif\" font-size=\"11\" "
      "fill=\"{}\" role=\"img\"><defs><pattern id=\"hatch\" width=\"6\" height=\"6\" "
      "patternUnits=\"userSpaceOnUse\">"
      "<path d=\"M0 6L6 0\" stroke=\"{}\"/></pattern><pattern id=\"cross\" width=\"6\" "
      "height=\"6\" "
      "patternUnits=\"userSpaceOnUse\"><path d=\"M0 6L6 0M0 0L6 6\" "
      "stroke=\"{}\"/></pattern></defs>",
      height, height, kPaper.text, kPaper.muted, kPaper.muted);
}

/// Levels that get a line: decades, and zero where the scale goes through it.
std::vector<double> ruled_levels(const LevelScale& scale) {
  std::vector<double> out;
  if (!scale.through) {
    for (double e = scale.low; e <= scale.high; ++e) out.push_back(std::pow(10, e));
    return out;
  }
  out.push_back(0);
  for (const double sign : {1.0, -1.0}) {
    const double end = sign > 0 ? scale.high : -scale.low;
    for (int e = 1; symlog(scale.quiet * std::pow(10, e), scale.quiet) <= end + 1e-9; ++e)
      out.push_back(sign * scale.quiet * std::pow(10, e));
  }
  return out;
}

}  // namespace

std::string trace_svg(const book::SplitCapture& capture, const Ledger& ledger,
                      const std::map<std::string, std::size_t>& fills, const char* ink) {
  const Trace& trace = *capture.trace;
  const double from = trace.from_s(), to = trace.to_s();
  if (!(to > from)) return "";
  const auto columns = envelope(trace, from, to, static_cast<int>(kWidth));
  constexpr double kTop = 12, kHeight = 180;
  LevelScale scale = LevelScale::of(columns);
  if (!scale.through) {  // whole decades
    scale.low = std::floor(scale.low + 1e-9);
    scale.high = std::max(std::ceil(scale.high - 1e-9), scale.low + 1);
    scale.quiet = std::pow(10, scale.low);  // down to the foot
  }
  const auto y = [&](double v) { return kTop + (1 - scale.part(v)) * kHeight; };
  std::string out = open_svg(340);
  for (const double level : ruled_levels(scale)) {
    out += fmt::format("<path d=\"M{} {:.1f}h{}\" stroke=\"{}\"/>", kLeft, y(level), kWidth,
                       kPaper.ruling_tenth);
    out += text_at(kLeft - 6, y(level) + 4, level == 0 ? "0 A" : with_prefix(level, "A", 1), "end");
  }
  std::string path;
  bool pen = false;
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const EnvelopeColumn& c = columns[i];
    if (!c.any) {
      pen = false;
      continue;
    }
    const double x = kLeft + static_cast<double>(i) + 0.5;
    path += fmt::format("{}{:.1f} {:.1f}L{:.1f} {:.1f}", pen ? "L" : "M", x, y(c.hi), x,
                        std::max(y(c.lo), y(c.hi) + 0.6));
    pen = true;
  }
  out += fmt::format("<path d=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"1\"/>", path, ink);

  const Fan fan = make_fan(trace, capture.visits, from, to);
  constexpr double kRibbon = 206, kBand = 18, kDeep = 54;
  out += text_at(kLeft - 6, kRibbon + 13, "states", "end", "font-weight=\"600\"");
  out += text_at(kLeft - 6, kRibbon + kBand + kDeep + 13, "charge", "end", "font-weight=\"600\"");
  for (const FanBand& b : fan.bands) {
    const std::string fill = fill_of(capture.visits[b.visit].visit.state, fills);
    const double t0 = kLeft + b.time_from * kWidth, t1 = kLeft + b.time_to * kWidth;
    const double q0 = kLeft + b.charge_from * kWidth, q1 = kLeft + b.charge_to * kWidth;
    const double y0 = kRibbon + kBand, y1 = y0 + kDeep, middle = (y0 + y1) / 2;
    out += fmt::format(
        "<path fill=\"{}\" d=\"M{:.2f} {}H{:.2f}V{}C{:.2f} {} {:.2f} {} {:.2f} "
        "{}V{}H{:.2f}V{}C{:.2f} {} {:.2f} {} {:.2f} {}Z\"/>",
        fill, t0, kRibbon, t1, y0, t1, middle, q1, middle, q1, y1, y1 + kBand, q0, y1, q0, middle,
        t0, middle, t0, y0);
  }
  double x = kLeft;
  for (const LedgerRow& row : ledger.rows) {
    if (row.charge_share < 0.03) continue;
    out += fmt::format("<rect x=\"{:.1f}\" y=\"300\" width=\"10\" height=\"10\" fill=\"{}\"/>", x,
                       fill_of(row.state, fills));
    const std::string label = row.state + " " + percent(row.charge_share);
    out += text_at(x + 14, 309, label);
    x += 30 + 6.6 * static_cast<double>(label.size());
  }
  out += text_at(kLeft, 334, with_prefix(from, "s", 4));
  out += text_at(kLeft + kWidth, 334, duration(to), "end");
  return out + "</svg>";
}

std::string bridge_svg(const Comparison& comparison,
                       const std::map<std::string, std::size_t>& fills) {
  if (!comparison.reference_mean || !comparison.candidate_mean) return "";
  std::vector<const CompareRow*> steps;
  for (const CompareRow& row : comparison.rows) {
    if (row.bridge != 0) steps.push_back(&row);
  }
  std::stable_sort(steps.begin(), steps.end(), [](const CompareRow* a, const CompareRow* b) {
    return std::fabs(a->bridge) > std::fabs(b->bridge);
  });
  double top = std::max({0.0, *comparison.reference_mean, *comparison.candidate_mean}),
         foot = std::min({0.0, *comparison.reference_mean, *comparison.candidate_mean}),
         level = *comparison.reference_mean;
  for (const CompareRow* s : steps) {
    level += s->bridge;
    top = std::max(top, level);
    foot = std::min(foot, level);
  }
  if (!(top > foot)) return "";
  const double pitch = kWidth / static_cast<double>(steps.size() + 2);
  const auto y = [&](double v) { return 196 - (v - foot) / (top - foot) * 160; };
  std::string out = open_svg(226);
  const auto bar = [&](std::size_t i, double a, double b, const std::string& fill,
                       const std::string& name, const std::string& value) {
    const double x = kLeft + pitch * static_cast<double>(i) + pitch * 0.12;
    out += fmt::format(
        "<rect x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" height=\"{:.1f}\" fill=\"{}\" "
        "stroke=\"{}\"/>",
        x, y(std::max(a, b)), pitch * 0.76, std::max(1.0, std::fabs(y(a) - y(b))), fill,
        kPaper.border);
    out += text_at(x + pitch * 0.38, y(std::max(a, b)) - 5, value, "middle");
    out += text_at(x + pitch * 0.38, 214, name, "middle");
  };
  bar(0, 0, *comparison.reference_mean, kPaper.inks[0], comparison.reference,
      with_prefix(*comparison.reference_mean, "A", 3));
  level = *comparison.reference_mean;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    bar(i + 1, level, level + steps[i]->bridge, fill_of(steps[i]->state, fills), steps[i]->state,
        signed_prefix(steps[i]->bridge, "A", 2));
    level += steps[i]->bridge;
  }
  bar(steps.size() + 1, 0, *comparison.candidate_mean, kPaper.inks[1], comparison.candidate,
      with_prefix(*comparison.candidate_mean, "A", 3));
  return out + "</svg>";
}

}  // namespace kuvio::formats
