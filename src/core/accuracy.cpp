// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/accuracy.h"

#include "core/number_text.h"
#include "core/quantity.h"
#include "core/trimmed.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr double kBoundToStandard = 0.57735026918962576;  // 1/sqrt(3), JCGM 100:2008, 4.3.7

}  // namespace

namespace {

Accuracy parse_one(std::string_view text, std::optional<Dimension> of) {
  Accuracy out;
  std::string_view rest = trimmed(text);
  for (const std::string_view sign : {"+-", "\u00b1"}) {
    if (rest.starts_with(sign)) rest = trimmed(rest.substr(sign.size()));
  }
  if (const auto paren = rest.find('('); paren != std::string_view::npos) {
    std::string inside(rest.substr(paren));
    std::erase(inside, ' ');
    if (inside != "(k=2)") {
      throw std::invalid_argument("\"" + std::string(text) +
                                  "\": only (k=2) may stand in brackets");
    }
    out.expanded = true;
    rest = trimmed(rest.substr(0, paren));
  }
  if (rest.empty())
    throw std::invalid_argument("an accuracy needs a form such as \"0.08 % + 40 nA\"");
  while (!rest.empty()) {
    const auto plus = rest.find('+', 1);
    const std::string_view term = trimmed(rest.substr(0, plus));
    rest = plus == std::string_view::npos ? std::string_view{} : trimmed(rest.substr(plus + 1));
    if (term.ends_with('%') || term.ends_with("ppm")) {
      out.gain += parse_quantity(term, Dimension::ratio);
    } else if (of && *of != Dimension::current && *of != Dimension::voltage) {
      out.offset += parse_quantity(term, *of);
    } else {
      const Dimension unit = term.ends_with('V') ? Dimension::voltage : Dimension::current;
      if (of && unit != *of) {
        throw std::invalid_argument("\"" + std::string(term) + "\" is no offset in " +
                                    std::string(unit_symbol(*of)));
      }
      out.offset += parse_quantity(term, unit);
    }
  }
  if (out.gain < 0 || out.offset < 0) {
    throw std::invalid_argument("\"" + std::string(text) + "\": an accuracy cannot be negative");
  }
  return out;
}

/// "up to 1 mA: 0.1 % + 10 nA"
AccuracyRange parse_range(std::string_view text, std::optional<Dimension> of, bool expanded) {
  const auto refuse = [&] {
    throw std::invalid_argument("\"" + std::string(text) +
                                "\": a finer range is written \"up to 1 mA: 0.1 % + 10 nA\"");
  };
  constexpr std::string_view kUpTo = "up to ";
  const auto colon = text.find(':');
  if (!text.starts_with(kUpTo) || colon == std::string_view::npos) refuse();
  const std::string_view limit = trimmed(text.substr(kUpTo.size(), colon - kUpTo.size()));
  const Dimension unit =
      of.value_or(limit.ends_with('V') ? Dimension::voltage : Dimension::current);
  AccuracyRange out;
  out.up_to = parse_quantity(limit, unit);
  const Accuracy stated = parse_one(text.substr(colon + 1), unit);
  if (!(out.up_to > 0)) refuse();
  if (stated.expanded && !expanded)
    throw std::invalid_argument("one statement is k=2 in all ranges, or in none");
  out.gain = stated.gain;
  out.offset = stated.offset;
  return out;
}

Accuracy parse(std::string_view text, std::optional<Dimension> of) {
  auto end = std::min(text.find(';'), text.size());
  Accuracy out = parse_one(text.substr(0, end), of);
  const bool anywhere =
      text.find("k=2") != std::string_view::npos || text.find("k = 2") != std::string_view::npos;
  out.expanded |= anywhere && end < text.size();
  while (end < text.size()) {
    const auto from = end + 1;
    end = std::min(text.find(';', from), text.size());
    out.finer.push_back(parse_range(trimmed(text.substr(from, end - from)), of, out.expanded));
  }
  std::sort(out.finer.begin(), out.finer.end(),
            [](const AccuracyRange& a, const AccuracyRange& b) { return a.up_to < b.up_to; });
  return out;
}

std::string finer_text(const Accuracy& accuracy, std::string_view unit) {
  std::string out;
  for (const AccuracyRange& r : accuracy.finer)
    out += fmt::format("; up to {:.9g} {}: {:.9g} % + {:.9g} {}", r.up_to, unit, r.gain * 100,
                       r.offset, unit);
  return out;
}

}  // namespace

Accuracy Accuracy::at(double reading) const {
  for (const AccuracyRange& r : finer) {
    if (std::fabs(reading) <= r.up_to * (1 + 1e-9)) return {r.gain, r.offset, expanded, {}};
  }
  return {gain, offset, expanded, {}};
}

Accuracy scaled(Accuracy accuracy, double factor) {
  accuracy.offset *= std::fabs(factor);
  for (AccuracyRange& r : accuracy.finer) {
    r.up_to *= std::fabs(factor);
    r.offset *= std::fabs(factor);
  }
  return accuracy;
}

Accuracy parse_accuracy(std::string_view text) { return parse(text, std::nullopt); }
Accuracy parse_accuracy(std::string_view text, Dimension of) { return parse(text, of); }

std::string to_string(const Accuracy& accuracy) {
  return fmt::format("{:g} % + {:g} nA{}{}", accuracy.gain * 100, accuracy.offset * 1e9,
                     accuracy.expanded ? " (k=2)" : "", finer_text(accuracy, "A"));
}

std::string to_string(const Accuracy& accuracy, Dimension of) {
  return fmt::format("{:.9g} % + {:.9g} {}{}{}", accuracy.gain * 100, accuracy.offset,
                     unit_symbol(of), accuracy.expanded ? " (k=2)" : "",
                     finer_text(accuracy, unit_symbol(of)));
}

std::string accuracy_words(std::string_view statement, Dimension of) {
  Accuracy accuracy;
  try {
    accuracy = parse_accuracy(statement, of);
  } catch (const std::invalid_argument&) {
    return std::string(statement);
  }
  const auto words = [&](double gain, double offset) {
    std::string out;
    if (gain > 0 || !(offset > 0)) out = fmt::format("{:.3g} %", gain * 100);
    if (offset > 0) out += (out.empty() ? "" : " + ") + with_prefix(offset, unit_symbol(of));
    return out;
  };
  std::string out = words(accuracy.gain, accuracy.offset);
  if (accuracy.expanded) out += " (k=2)";
  for (const AccuracyRange& r : accuracy.finer)
    out += fmt::format("; up to {}: {}", with_prefix(r.up_to, unit_symbol(of)),
                       words(r.gain, r.offset));
  return out;
}

std::vector<Component> accuracy_components(const Accuracy& accuracy, double reading,
                                           double weight) {
  if (!accuracy.finer.empty()) return accuracy_components(accuracy.at(reading), reading, weight);
  const double scale = (accuracy.expanded ? 0.5 : kBoundToStandard) * std::fabs(weight);
  const Origin origin = accuracy.expanded ? Origin::normal : Origin::bound;
  return {{"gain of the instrument", accuracy.gain * std::fabs(reading) * scale, {}, origin},
          {"offset of the instrument", accuracy.offset * scale, {}, origin}};
}

Accuracy pooled_accuracy(const std::vector<WeightedAccuracy>& parts) {
  const bool alike = std::all_of(parts.begin(), parts.end(), [&](const WeightedAccuracy& p) {
    return p.accuracy == parts.front().accuracy;
  });
  if (parts.empty()) return {};
  if (alike) return parts.front().accuracy;
  double weight = 0, reading = 0, gain = 0, offset = 0;
  for (const WeightedAccuracy& p : parts) {
    // As a bound of the same standard uncertainty: sqrt(3)/2 of an expanded one.
    const double as_bound = p.accuracy.expanded ? 0.5 / kBoundToStandard : 1;
    const Accuracy own = p.accuracy.at(p.reading);
    weight += p.weight;
    reading += p.weight * std::fabs(p.reading);
    gain += as_bound * own.gain * p.weight * std::fabs(p.reading);
    offset += as_bound * own.offset * p.weight;
  }
  Accuracy out;
  out.gain = reading > 0 ? gain / reading : 0;
  out.offset = weight > 0 ? offset / weight : 0;
  return out;
}

}  // namespace kuvio
