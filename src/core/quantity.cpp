// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity.h"

#include "core/time_units.h"
#include "core/trimmed.h"

#include <array>
#include <charconv>
#include <cmath>
#include <optional>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr std::array kQuantities{
    QuantityInfo{Quantity::current, "current", "A", Dimension::current},
    QuantityInfo{Quantity::voltage, "voltage", "V", Dimension::voltage},
    QuantityInfo{Quantity::power, "power", "W", Dimension::power},
    QuantityInfo{Quantity::charge, "charge", "C", Dimension::charge},
    QuantityInfo{Quantity::logic, "logic", "", Dimension::ratio},
    QuantityInfo{Quantity::other, "other", "", Dimension::ratio},
};

constexpr bool quantities_in_order() {
  for (std::size_t i = 0; i < kQuantities.size(); ++i)
    if (static_cast<std::size_t>(kQuantities[i].quantity) != i) return false;
  return kQuantities.size() == static_cast<std::size_t>(Quantity::other) + 1;
}
static_assert(quantities_in_order(), "a line for each quantity, in the order of Quantity");

struct Named {
  std::string_view text;
  double factor;
};

constexpr std::array<Named, 15> kPrefixes{{{"", 1},
                                           {"f", 1e-15},
                                           {"p", 1e-12},
                                           {"n", 1e-9},
                                           {"u", 1e-6},
                                           {"\u00b5", 1e-6},
                                           {"\u03bc", 1e-6},
                                           {"m", 1e-3},
                                           {"c", 1e-2},
                                           {"k", 1e3},
                                           {"M", 1e6},
                                           {"G", 1e9},
                                           {"T", 1e12},
                                           {"da", 10},
                                           {"h", 100}}};

std::optional<double> prefixed(std::string_view unit, std::initializer_list<Named> bases) {
  for (const Named& base : bases) {
    if (!unit.ends_with(base.text)) continue;
    const std::string_view prefix = unit.substr(0, unit.size() - base.text.size());
    for (const Named& p : kPrefixes) {
      if (p.text == prefix) return p.factor * base.factor;
    }
  }
  return std::nullopt;
}

std::optional<double> time_factor(std::string_view unit) {
  for (const Named& n : {Named{"min", 60}, Named{"h", kHour}, Named{"d", kDay}, Named{"day", kDay},
                         Named{"days", kDay}, Named{"month", kMonth}, Named{"months", kMonth},
                         Named{"y", kYear}, Named{"year", kYear}, Named{"years", kYear}}) {
    if (n.text == unit) return n.factor;
  }
  if (unit == "hs" || unit == "das" || unit == "cs") return std::nullopt;
  return prefixed(unit, {{"s", 1}});
}

std::optional<double> factor_of(std::string_view unit, Dimension dimension) {
  switch (dimension) {
    case Dimension::current:
      return prefixed(unit, {{"A", 1}});
    case Dimension::voltage:
      return prefixed(unit, {{"V", 1}});
    case Dimension::time:
      return time_factor(unit);
    case Dimension::charge:
      return prefixed(unit, {{"Ah", kHour}, {"A·s", 1}, {"A*s", 1}, {"As", 1}, {"C", 1}});
    case Dimension::energy:
      return prefixed(unit, {{"Wh", kHour}, {"Ws", 1}, {"J", 1}});
    case Dimension::power:
      return prefixed(unit, {{"W", 1}});
    case Dimension::resistance:
      return prefixed(unit, {{"Ohm", 1}, {"ohm", 1}, {"\u2126", 1}, {"\u03a9", 1}});
    case Dimension::capacitance:
      return prefixed(unit, {{"F", 1}});
    case Dimension::ratio:
      if (unit == "%") return 0.01;
      if (unit == "ppm") return 1e-6;
      return std::nullopt;
    case Dimension::frequency:
      if (unit.starts_with("/")) {
        const auto per = time_factor(trimmed(unit.substr(1)));
        return per ? std::optional(1 / *per) : std::nullopt;
      }
      return prefixed(unit, {{"Hz", 1}, {"S/s", 1}});
    case Dimension::ratio_per_time: {
      const auto slash = unit.find('/');
      if (slash == std::string_view::npos) return std::nullopt;
      const auto ratio = factor_of(trimmed(unit.substr(0, slash)), Dimension::ratio);
      const auto per = time_factor(trimmed(unit.substr(slash + 1)));
      return ratio && per ? std::optional(*ratio / *per) : std::nullopt;
    }
  }
  return std::nullopt;
}

}  // namespace

std::string describe(Dimension dimension) {
  switch (dimension) {
    case Dimension::current:
      return "a unit of current such as \"4 uA\"";
    case Dimension::voltage:
      return "a unit of voltage such as \"3.6 V\"";
    case Dimension::time:
      return "a unit of time such as \"20 ms\"";
    case Dimension::charge:
      return "a unit of charge such as \"38 mC\" or \"1200 mAh\"";
    case Dimension::energy:
      return "a unit of energy such as \"5 mJ\"";
    case Dimension::power:
      return "a unit of power such as \"12 mW\"";
    case Dimension::resistance:
      return "a unit of resistance such as \"12 Ohm\"";
    case Dimension::capacitance:
      return "a unit of capacitance such as \"2.2 F\"";
    case Dimension::frequency:
      return "a rate such as \"4 /h\" or \"1 kHz\"";
    case Dimension::ratio:
      return "a ratio such as \"5 %\"";
    case Dimension::ratio_per_time:
      return "a ratio per time such as \"1 %/y\"";
  }
  return "a unit";
}

std::string_view unit_symbol(Dimension dimension) {
  switch (dimension) {
    case Dimension::current:
      return "A";
    case Dimension::voltage:
      return "V";
    case Dimension::time:
      return "s";
    case Dimension::charge:
      return "C";
    case Dimension::energy:
      return "J";
    case Dimension::power:
      return "W";
    case Dimension::resistance:
      return "Ohm";
    case Dimension::capacitance:
      return "F";
    case Dimension::frequency:
      return "Hz";
    case Dimension::ratio:
      return "1";
    case Dimension::ratio_per_time:
      return "1/s";
  }
  return "";
}

double unit_factor(std::string_view unit, Dimension dimension) {
  if (const auto factor = factor_of(trimmed(unit), dimension)) return *factor;
  throw std::invalid_argument("\"" + std::string(unit) + "\" is not " + describe(dimension));
}

double parse_quantity(std::string_view text, Dimension dimension) {
  std::string_view rest = trimmed(text);
  if (rest.starts_with('+')) rest.remove_prefix(1);
  double value = 0;
  const auto [end, failed] = std::from_chars(rest.data(), rest.data() + rest.size(), value);
  if (failed != std::errc{} || !std::isfinite(value)) {
    throw std::invalid_argument("\"" + std::string(text) +
                                "\" does not begin with a number; it needs " + describe(dimension));
  }
  const std::string_view unit = trimmed(rest.substr(static_cast<std::size_t>(end - rest.data())));
  if (unit.empty()) {
    throw std::invalid_argument("\"" + std::string(text) + "\" has no unit; it needs " +
                                describe(dimension));
  }
  const auto factor = factor_of(unit, dimension);
  if (!factor) {
    throw std::invalid_argument("\"" + std::string(text) + "\" needs " + describe(dimension));
  }
  const double out = value * *factor;
  if (!std::isfinite(out))
    throw std::invalid_argument("\"" + std::string(text) + "\" is beyond all numbers");
  return out;
}

const QuantityInfo& info(Quantity quantity) {
  return kQuantities[static_cast<std::size_t>(quantity)];
}

Quantity quantity_of(std::string_view key) {
  for (const QuantityInfo& q : kQuantities)
    if (q.key == key) return q.quantity;
  return Quantity::other;
}

}  // namespace kuvio
