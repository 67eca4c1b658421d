// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/phrases.h"

#include "book/analysis.h"
#include "core/budget.h"
#include "core/compare.h"
#include "core/number_text.h"
#include "core/recipe.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::formats {
namespace {

constexpr double kSmallPart = 0.01;  // of a difference, that is not worth a word
constexpr std::size_t kParts = 3;

std::string joined(const std::vector<std::string>& list) {
  std::string out;
  for (const std::string& item : list) out += (out.empty() ? "" : ", ") + item;
  return out;
}

/// The states that make most of a difference at the same use.
std::string parts_text(const Comparison& c) {
  std::vector<std::pair<double, std::string>> parts;
  for (const CompareRow& r : c.rows) {
    const double part = r.level_part + r.length_part;
    if (std::fabs(part) > kSmallPart * std::fabs(c.same_use->difference.value) &&
        std::fabs(part) > c.same_use->difference.U() / 10)
      parts.emplace_back(part, r.state);
  }
  std::sort(parts.begin(), parts.end(),
            [](const auto& a, const auto& b) { return std::fabs(a.first) > std::fabs(b.first); });
  if (parts.size() > kParts) parts.resize(kParts);
  std::vector<std::string> words;
  for (const auto& [part, state] : parts)
    words.push_back(state + " " + signed_prefix(part, "A", 3));
  return words.empty() ? "" : " (" + joined(words) + ")";
}

}  // namespace

std::string bounds_mark(Bounds bounds) {
  if (bounds.lower && bounds.upper) return "≷ ";
  return bounds.lower ? "≥ " : bounds.upper ? "≤ " : "";
}

std::string verdict_text(Verdict verdict) {
  switch (verdict) {
    case Verdict::within:
      return "✓ within";
    case Verdict::outside:
      return "✗ outside";
    case Verdict::too_close:
      return "≈ too close";
    case Verdict::no_data:
      return "– no data";
  }
  return "";
}

std::string figure_text(double value, double U, std::string_view unit) {
  return unit == "s" && std::fabs(value) > 2 * 86400 ? life_time(value)
                                                     : with_uncertainty(value, U, unit);
}

std::string measured_text(const LimitResult& r) {
  if (!r.measured) return r.bounds.any() ? bounds_mark(r.bounds) + "–" : "–";
  const auto unit = info(r.limit->quantity).unit();
  const bool life = r.limit->quantity == LimitQuantity::lifetime;
  std::string out = bounds_mark(r.bounds) + figure_text(*r.measured, r.U, unit);
  if (life) out += " (" + life_range(r.low, r.high) + ")";
  return out;
}

std::string limit_text(const Limit& l) {
  const auto unit = info(l.quantity).unit();
  return l.max ? "≤ " + figure_text(*l.max, 0, unit)
               : "≥ " + figure_text(l.min.value_or(0), 0, unit);
}

std::string life_end(const std::optional<double>& life_s) {
  return life_s ? life_time(*life_s) : "unlimited";
}

std::string life_range(const std::optional<double>& low_s, const std::optional<double>& high_s) {
  std::string low = life_end(low_s);
  const std::string high = life_end(high_s);
  const auto unit = [](const std::string& text) {
    const auto at = text.find("\u2009");
    return at == std::string::npos ? "" : text.substr(at);
  };
  if (!unit(low).empty() && unit(low) == unit(high)) low.resize(low.size() - unit(low).size());
  return low + " … " + high;
}

std::string life_text(const LifeInterval& life) {
  std::string out = bounds_mark(life.bounds) + life_end(life.life);
  if (life.life) out += " (" + life_range(life.low, life.high) + ")";
  return out;
}

std::string shown_text(Conclusion conclusion, const Difference& d, std::size_t tests) {
  std::string out;
  switch (conclusion) {
    case Conclusion::higher:
    case Conclusion::lower:
      out = to_string(conclusion);
      break;
    case Conclusion::equal:
      out = d.low > 0 || d.high < 0 ? "differs, but equal within the margin"
                                    : "equal within the margin";
      break;
    case Conclusion::single_visit:
      out = "single visit: not tested";
      break;
    case Conclusion::none:
      out = d.not_shown_among_many() ? fmt::format("not shown among {} tests", tests)
                                     : "no difference shown";
      break;
  }
  if (d.bounds.any()) out += ", clipped";
  return out;
}

std::string shown_text(const CompareRow& row, std::size_t tests) {
  if (!row.reference_mean && row.candidate_mean) return "candidate only";
  if (row.reference_mean && !row.candidate_mean) return "reference only";
  if (row.conclusion == Conclusion::none && !row.mean.tested) return "not tested";
  const Difference& d = row.by_charge || (!row.mean.not_shown_among_many() &&
                                          row.charge_per_visit.not_shown_among_many())
                            ? row.charge_per_visit
                            : row.mean;
  std::string out = shown_text(row.conclusion, d, tests);
  if (row.by_charge) out += " per visit";
  return out;
}

std::vector<std::vector<std::string>> comparison_cells(const Comparison& c) {
  const auto mean = [](const std::optional<double>& a) {
    return a ? with_prefix(*a, "A", 4) : "–";
  };
  const auto interval = [](const Difference& d, const char* unit) {
    return d.known ? with_interval(d.value, d.low, d.high, unit) : "–";
  };
  std::vector<std::vector<std::string>> out;
  for (const CompareRow& r : c.rows) {
    if (r.state == kOff || (!r.reference_mean && !r.candidate_mean)) continue;
    out.push_back({r.state, mean(r.reference_mean), mean(r.candidate_mean),
                   bounds_mark(r.mean.bounds) + interval(r.mean, "A"),
                   interval(r.charge_per_visit, "C"), signed_prefix(r.bridge, "A", 3),
                   shown_text(r, c.tests)});
  }
  return out;
}

std::string same_use_sentence(const Comparison& c) {
  if (!c.same_use || !c.same_use->difference.known) return "";
  const Difference& d = c.same_use->difference;
  const std::string amount = with_uncertainty(std::fabs(d.value), d.U(), "A");
  const std::string what = bounds_mark(d.bounds) + amount;
  switch (c.same_use->conclusion) {
    case Conclusion::higher:
    case Conclusion::lower:
      return fmt::format("{} draws {} {} than {} at the same use{}.", c.candidate, what,
                         d.value >= 0 ? "more" : "less", c.reference, parts_text(c));
    case Conclusion::equal:
      return fmt::format("{} draws as much as {} at the same use, within the margin ({}).",
                         c.candidate, c.reference, with_uncertainty(d.value, d.U(), "A"));
    default:
      return fmt::format("No difference of {} from {} is shown at the same use ({}{}).",
                         c.candidate, c.reference, bounds_mark(d.bounds),
                         with_uncertainty(d.value, d.U(), "A"));
  }
}

std::vector<std::string> common_length_lines(const Comparison& c) {
  std::vector<std::string> out;
  if (!c.same_use) return out;
  std::vector<std::string> given, small, unknown;
  std::vector<CommonLength> hiding;
  for (const CommonLength& l : c.same_use->common) {
    if (l.given) {
      given.push_back(l.state + " " + duration(l.length_s));
    } else if (!l.could_hide) {
      unknown.push_back(l.state);
    } else if (*l.could_hide > c.same_use->difference.U() / 10) {
      hiding.push_back(l);
    } else {
      small.push_back(l.state);
    }
  }
  std::sort(hiding.begin(), hiding.end(), [](const CommonLength& a, const CommonLength& b) {
    return *a.could_hide > *b.could_hide;
  });
  std::vector<std::string> amounts;
  for (const CommonLength& l : hiding)
    amounts.push_back("± " + with_prefix(*l.could_hide, "A", 2) + " in " + l.state + "'s");
  if (hiding.size() == 1) {
    out.push_back(hiding.front().state + "'s length, no difference shown, could hide ± " +
                  with_prefix(*hiding.front().could_hide, "A", 2));
  } else if (!hiding.empty()) {
    out.push_back("Lengths that show no difference could hide " + joined(amounts));
  }
  if (!unknown.empty())
    out.push_back("What could hide in the length of " + joined(unknown) +
                  ", held common, cannot be known from a single visit");
  if (!given.empty()) out.push_back("Lengths given by the duty plan: " + joined(given));
  if (!c.same_use->own.empty())
    out.push_back("Lengths that differ count as the build's: " + joined(c.same_use->own));
  if (!small.empty()) out.push_back("Lengths held common, no difference shown: " + joined(small));
  return out;
}

std::vector<std::string> comparison_remarks(const Comparison& c) {
  std::vector<std::string> out;
  if (!c.of_builds)
    out.push_back(
        "Within these captures: fewer than three a side do not show how captures of one build "
        "vary");
  if (!c.accuracy_stated)
    out.push_back("Accuracy not stated: the instrument's part is in no interval");
  if (!c.single.empty()) out.push_back("Single visit to " + joined(c.single));
  for (const auto& [name, unnamed] : {std::pair{c.reference, &c.unnamed_reference},
                                      std::pair{c.candidate, &c.unnamed_candidate}}) {
    if (!unnamed->empty()) out.push_back(unnamed_text(*unnamed, name));
  }
  return out;
}

std::vector<std::string> old_edges_texts(const std::vector<book::SplitCapture>& captures) {
  std::vector<std::string> out;
  for (const book::SplitCapture& c : captures) {
    if (c.edges_on_samples)
      out.push_back(fmt::format(
          "Capture {} was split by an older Kuvio, its edges on samples: split again, they lie "
          "inside",
          c.info.name));
  }
  return out;
}

std::string unnamed_text(const std::vector<Unnamed>& unnamed, const std::string& whose) {
  if (unnamed.empty()) return "";
  std::vector<std::string> words;
  for (const Unnamed& u : unnamed)
    words.push_back(fmt::format("{}: {} of the charge, {} of the time", u.state,
                                percent(u.charge_share), percent(u.time_share)));
  return "The duty plan leaves out " + joined(words) + (whose.empty() ? "" : " (" + whose + ")") +
         (too_much_unnamed(unnamed) ? "; so nothing is within" : "");
}

}  // namespace kuvio::formats
