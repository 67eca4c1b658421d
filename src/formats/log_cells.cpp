// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_cells.h"

#include "core/special_value.h"

#include <charconv>
#include <cmath>
#include <limits>

namespace kuvio::formats {
namespace {

constexpr double kInfinity = std::numeric_limits<double>::infinity();
constexpr std::int64_t kMostCount = 100'000'000'000'000'000;  // of a counter
constexpr int kTimeExponent = 9;                              // times are read to the nanosecond

}  // namespace

double no_data(Flag flag) {
  return flag == Flag::over_range    ? kInfinity
         : flag == Flag::below_range ? -kInfinity
                                     : std::numeric_limits<double>::quiet_NaN();
}

std::optional<Flag> flag_of_data(double value) {
  if (std::isfinite(value)) return std::nullopt;
  return std::isnan(value) ? Flag::not_a_number : value > 0 ? Flag::over_range : Flag::below_range;
}

std::optional<double> number_of(const NumberCell& cell) {
  double out = 0;
  const char* end = cell.plain.data() + cell.plain.size();
  const auto [to, failed] = std::from_chars(cell.plain.data(), end, out);
  return failed == std::errc{} && to == end ? std::optional(out) : std::nullopt;
}

CellReader::CellReader(const LogPlan& plan, std::optional<double> shunt_ohm)
    : plan_(plan), shunt_ohm_(shunt_ohm), units_(plan.columns.size()) {}

bool CellReader::is_drop(const Column& c) const {
  return shunt_ohm_ && !plan_.high && c.role == Role::voltage;
}

double CellReader::factor_of(const Column& c) const {
  return is_drop(c) ? c.factor / *shunt_ohm_ : c.factor;
}

std::optional<double> CellReader::factor_of(std::size_t column, std::string_view unit) {
  const Column& c = plan_.columns[column];
  const Dimension d = c.role == Role::current ? Dimension::current : Dimension::voltage;
  const auto own = units_[column].factor(unit, c, d);
  return own && is_drop(c) ? *own / *shunt_ohm_ : own;
}

CellReader::Fault CellReader::value(std::size_t column, std::string_view cell, double& out) {
  if (cell.empty()) {
    out = no_data(Flag::not_a_number);
    return Fault::none;
  }
  if (const auto special = special_word(cell)) {
    out = no_data(*flag_of_value(*special));
    return Fault::none;
  }
  const Column& c = plan_.columns[column];
  const auto number = number_cell(cell, plan_.dialect.marks, room_);
  const auto plain = number ? number_of(*number) : std::nullopt;
  if (!plain) return Fault::no_number;
  if (const auto flag = flag_of_value(standard_value(*plain))) {
    out = no_data(*flag);
    return Fault::none;
  }
  double factor = factor_of(c);
  if (!number->unit.empty()) {
    const auto own = factor_of(column, number->unit);
    if (!own) return Fault::other_unit;
    factor = *own;
  } else if (plan_.unit_in_cell[column] && c.factor != 1 && *plain != 0) {
    return Fault::no_unit;
  }
  out = *plain * factor + kNoSign;
  return Fault::none;
}

std::optional<Moment> CellReader::moment(std::size_t column, std::string_view cell,
                                         std::int64_t added) {
  const auto as_moment = [](std::optional<std::int64_t> ns) {
    return ns ? std::optional(Moment{*ns, {}}) : std::nullopt;
  };
  if (plan_.time_form == TimeForm::clock) return as_moment(clock_ns(cell));
  if (plan_.time_form == TimeForm::calendar) return as_moment(calendar_ns(cell));
  const auto number = number_cell(cell, plan_.dialect.marks, room_);
  if (!number || special_word(cell)) return std::nullopt;
  ExactFactor factor = plan_.time_form == TimeForm::count ? ExactFactor{} : plan_.time_factor;
  if (!number->unit.empty()) {
    const auto own = units_[column].factor(number->unit, plan_.columns[column], Dimension::time);
    if (!own) return std::nullopt;
    factor = exact_factor(*own);
  }
  Moment out;
  std::string_view plain = number->plain;
  std::string through;
  std::int64_t raw = 0;
  const auto [end, failed] = std::from_chars(plain.data(), plain.data() + plain.size(), raw);
  if (failed == std::errc{} && end == plain.data() + plain.size() && std::abs(raw) < kMostCount) {
    out.raw = raw;
    if (added != 0) {
      through = std::to_string(raw + added);
      plain = through;
    }
  }
  const auto ns = exact_decimal(plain, factor.exponent, kTimeExponent, factor.times);
  if (!ns) return std::nullopt;
  out.ns = *ns;
  return out;
}

}  // namespace kuvio::formats
