// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/typed_reading.h"

#include "core/ledger.h"
#include "core/visit.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr std::array kQuantities{
    TypedQuantity{"mean", Dimension::current, &TypedReading::mean},
    TypedQuantity{"length", Dimension::time, &TypedReading::length},
    TypedQuantity{"peak", Dimension::current, &TypedReading::peak},
    TypedQuantity{"voltage", Dimension::voltage, &TypedReading::voltage},
};

/// Where a mark stands, and how long it is.
struct Mark {
  std::size_t at = std::string_view::npos, length = 0;
};

Mark find_mark(std::string_view text, std::initializer_list<std::string_view> marks) {
  for (const std::string_view mark : marks) {
    if (const auto at = text.find(mark); at != std::string_view::npos) return {at, mark.size()};
  }
  return {};
}

/// "11" of "11 to 12 mA" has the unit of what follows it.
double lower_end(std::string_view text, std::string_view upper, Dimension dimension) {
  const auto digit = text.find_last_not_of(' ');
  const bool bare = digit != std::string_view::npos &&
                    (text[digit] == '.' || (text[digit] >= '0' && text[digit] <= '9'));
  if (!bare) return parse_quantity(text, dimension);
  const auto unit = upper.find_last_of("0123456789.");
  return parse_quantity(
      std::string(text) + std::string(unit == std::string_view::npos ? "" : upper.substr(unit + 1)),
      dimension);
}

Accuracy pooled(const std::vector<Stated>& values) {
  std::vector<WeightedAccuracy> parts;
  for (const Stated& s : values) parts.push_back({s.accuracy, 1, s.value});
  return pooled_accuracy(parts);
}

std::vector<double> numbers(const std::vector<Stated>& values) {
  std::vector<double> out;
  for (const Stated& s : values) out.push_back(s.value);
  return out;
}

/// Whether all were stated and each lies within its own ± of their mean: then that ± speaks, and
/// the few readings' spread, which knows less, is no more of it.
bool agree(const std::vector<Stated>& values, double mean) {
  return std::all_of(values.begin(), values.end(), [&](const Stated& s) {
    const double reach = s.accuracy.gain * std::fabs(s.value) + s.accuracy.offset;
    return s.accuracy.stated() && std::fabs(s.value - mean) <= reach;
  });
}

double mean_of(const std::vector<Stated>& values) {
  double sum = 0;
  for (const Stated& s : values) sum += s.value;
  return values.empty() ? 0 : sum / static_cast<double>(values.size());
}

}  // namespace

std::span<const TypedQuantity> typed_quantities() { return kQuantities; }

Stated parse_stated(std::string_view text, Dimension dimension) {
  const Mark plus_minus = find_mark(text, {"+-", "\u00b1", "+/-"});
  Stated out;
  if (plus_minus.length > 0) {
    out.accuracy = parse_accuracy(text.substr(plus_minus.at + plus_minus.length), dimension);
    text = text.substr(0, plus_minus.at);
  }
  const Mark range = find_mark(text, {" to ", "..", " \u2013 ", "\u2013"});
  if (range.length == 0) {
    out.value = parse_quantity(text, dimension);
    return out;
  }
  if (plus_minus.length > 0)
    throw std::invalid_argument("\"" + std::string(text) +
                                "\" is a range; it needs no \u00b1 beside it");
  const std::string_view upper = text.substr(range.at + range.length);
  const double low = lower_end(text.substr(0, range.at), upper, dimension);
  const double high = parse_quantity(upper, dimension);
  if (!(low <= high))
    throw std::invalid_argument("\"" + std::string(text) + "\" ends below where it begins");
  out.value = low + (high - low) / 2;
  out.accuracy.offset = (high - low) / 2;
  return out;
}

std::string to_string(const Stated& stated, Dimension dimension) {
  std::string out = fmt::format("{:.9g} {}", stated.value, unit_symbol(dimension));
  if (stated.accuracy.stated()) out += " \u00b1 " + to_string(stated.accuracy, dimension);
  return out;
}

void check_typed(const TypedReading& reading) {
  if (reading.state.find_first_not_of(' ') == std::string::npos)
    throw std::invalid_argument("a reading needs the state that it is of");
  if (is_built_in_state(reading.state))
    throw std::invalid_argument("\"" + reading.state + "\" is no state of a device");
  const bool any = std::any_of(kQuantities.begin(), kQuantities.end(), [&](const TypedQuantity& q) {
    return (reading.*q.value).has_value();
  });
  if (!any) throw std::invalid_argument("a reading needs a mean, a length or a peak");
  for (const TypedQuantity& q : kQuantities) {
    const auto& stated = reading.*q.value;
    if (stated && !std::isfinite(stated->value))
      throw std::invalid_argument("the " + std::string(q.key) + " is no number");
  }
  if (reading.length && !(reading.length->value > 0))
    throw std::invalid_argument("a length must be more than nothing");
  if (reading.voltage && !(reading.voltage->value > 0))
    throw std::invalid_argument("a voltage must be more than nothing");
  if (reading.mean && reading.peak && reading.peak->value < reading.mean->value)
    throw std::invalid_argument("the peak lies below the mean");
}

void fill_typed(LedgerRow& row, const std::vector<Account>& accounts) {
  std::vector<Stated> means, lengths, peaks, voltages;
  std::vector<std::size_t> captures;
  std::size_t readings = 0;
  for (std::size_t i = 0; i < accounts.size(); ++i) {
    for (const TypedReading& r : accounts[i].typed) {
      if (r.state != row.state) continue;
      ++readings;
      if (r.mean) {
        means.push_back(*r.mean);
        captures.push_back(i);
      }
      if (r.length) lengths.push_back(*r.length);
      if (r.peak) peaks.push_back(*r.peak);
      if (r.voltage) voltages.push_back(*r.voltage);
    }
  }
  if (readings == 0) return;
  row.visits = readings;
  row.typed = TypedRow{readings, pooled(lengths), pooled(peaks), pooled(voltages)};
  row.accuracy = pooled(means);
  if (!means.empty()) {
    row.mean = mean_of(means);
    const std::vector<double> ones(means.size(), 1);
    row.level = ratio_over_captures(numbers(means), ones, captures);
    if (agree(means, *row.mean)) {
      row.level.u = 0;
    } else if (row.level.n >= 2) {
      row.spread = row.level.groups > 0 ? SpreadOf::captures : SpreadOf::readings;
    }
  }
  for (const Stated& p : peaks) row.peak = std::max(row.peak.value_or(p.value), p.value);
  for (std::size_t i = 0; i < accounts.size(); ++i) {
    for (const TypedReading& r : accounts[i].typed) {
      if (r.state != row.state || !r.length || !row.mean) continue;
      const double mean = r.mean ? r.mean->value : *row.mean;
      row.whole.push_back({i, mean * r.length->value, r.length->value,
                           r.peak ? std::optional(r.peak->value) : std::nullopt,
                           r.voltage ? r.voltage->value : accounts[i].basis.voltage, 0, 0, false});
    }
  }
  row.whole_visits = row.whole.size();
  std::vector<double> ones(lengths.size(), 1);
  std::vector<std::size_t> one_meter(lengths.size(), 0);
  row.visit_length = ratio_over_captures(numbers(lengths), ones, one_meter);
  row.charge_per_visit = row.repeat([](const WholeVisit& v) { return v.charge; });
  const bool lengths_agree = agree(lengths, row.visit_length.mean);
  if (lengths_agree) row.visit_length.u = 0;
  if (lengths_agree && row.spread == SpreadOf::none) row.charge_per_visit.u = 0;
  for (const WholeVisit& v : row.whole) {
    row.charge_per_visit_min =
        &v == &row.whole.front() ? v.charge : std::min(row.charge_per_visit_min, v.charge);
    row.charge_per_visit_max =
        &v == &row.whole.front() ? v.charge : std::max(row.charge_per_visit_max, v.charge);
  }
  row.mean_u = expand(mean_components(row));
  row.charge_per_visit_u = expand(charge_per_visit_components(row));
  row.visit_length_u = expand(visit_length_components(row));
}

}  // namespace kuvio
