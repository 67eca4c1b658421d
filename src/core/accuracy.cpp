// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/accuracy.h"

#include "core/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr double kBoundToStandard = 0.57735026918962576;  // 1/sqrt(3), JCGM 100:2008, 4.3.7

std::string_view trimmed(std::string_view s) {
  while (!s.empty() && s.front() == ' ') s.remove_prefix(1);
  while (!s.empty() && s.back() == ' ') s.remove_suffix(1);
  return s;
}

}  // namespace

namespace {

Accuracy parse(std::string_view text, std::optional<Dimension> of) {
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

}  // namespace

Accuracy parse_accuracy(std::string_view text) { return parse(text, std::nullopt); }
Accuracy parse_accuracy(std::string_view text, Dimension of) { return parse(text, of); }

std::string to_string(const Accuracy& accuracy) {
  return fmt::format("{:g} % + {:g} nA{}", accuracy.gain * 100, accuracy.offset * 1e9,
                     accuracy.expanded ? " (k=2)" : "");
}

std::string to_string(const Accuracy& accuracy, Dimension of) {
  return fmt::format("{:.9g} % + {:.9g} {}{}", accuracy.gain * 100, accuracy.offset,
                     unit_symbol(of), accuracy.expanded ? " (k=2)" : "");
}

std::vector<Component> accuracy_components(const Accuracy& accuracy, double reading,
                                           double weight) {
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
    weight += p.weight;
    reading += p.weight * std::fabs(p.reading);
    gain += as_bound * p.accuracy.gain * p.weight * std::fabs(p.reading);
    offset += as_bound * p.accuracy.offset * p.weight;
  }
  Accuracy out;
  out.gain = reading > 0 ? gain / reading : 0;
  out.offset = weight > 0 ? offset / weight : 0;
  return out;
}

}  // namespace kuvio
