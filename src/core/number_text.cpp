// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/number_text.h"

#include "core/time_units.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace kuvio {
namespace {

constexpr const char* kThin = "\u2009";  // thin space
constexpr const char* kMinus = "\u2212";
constexpr std::array<const char*, 11> kPrefix{"f", "p", "n", "µ", "m", "", "k", "M", "G", "T", "P"};
constexpr int kNoPrefix = 5;

/// Exponent step (thousands) that shows `value` as 1 … 999.
int step_of(double value) {
  if (value == 0 || !std::isfinite(value)) return 0;
  const int step = static_cast<int>(std::floor(std::log10(std::fabs(value)) / 3 + 1e-12));
  return std::clamp(step, -kNoPrefix, 5);
}

std::string fixed(double value, int decimals) {
  std::string text = fmt::format("{:.{}f}", std::fabs(value), std::max(0, decimals));
  const bool zero = text.find_first_not_of("0.") == std::string::npos;
  return (value < 0 && !zero ? kMinus : "") + text;
}

std::string unit_text(int step, std::string_view unit) {
  const int at = step + kNoPrefix;
  return std::string(kThin) + kPrefix[static_cast<std::size_t>(at)] + std::string(unit);
}

int magnitude(double value) {
  return static_cast<int>(std::floor(std::log10(std::fabs(value)) + 1e-12));
}

/// An uncertainty under this share of its value is the rounding of numbers in a computer.
constexpr double kNoise = 1e-9;
/// What is under this, of any unit, is left of rounding, too: the charge of six electrons.
constexpr double kNothing = 1e-18;
constexpr double kLost = 1000;  // times a value: an uncertainty that says nothing is known

/// Decimal place of an uncertainty's second digit (JCGM 100:2008, 7.2.6): -2 for 0.12, and for
/// 0.0996, which is written 0.10.
int second_digit(double u) {
  const int place = magnitude(u) - 1;
  const double grain = std::pow(10.0, place);
  return std::round(u / grain) >= 100 ? place + 1 : place;
}

}  // namespace

std::string with_prefix(double value, std::string_view unit, int digits) {
  if (!std::isfinite(value)) return "–";
  if (std::fabs(value) < kNothing) return "0" + unit_text(0, unit);
  // A long time is so many seconds: nobody says kiloseconds.
  const int most = unit == "s" ? 0 : 5;
  int step = std::min(step_of(value), most);
  double scaled = value / std::pow(1000.0, step);
  // 999.96 at three digits would print as 1000: take the next prefix.
  const double rounding = std::pow(10.0, magnitude(scaled) - digits + 1) / 2;
  if (std::fabs(scaled) + rounding >= 1000 && step < most) {
    ++step;
    scaled /= 1000;
  }
  // 9.996 at three digits is 10.0: the rounded value says how many decimals are left.
  const double grain = std::pow(10.0, magnitude(scaled) - digits + 1);
  const double rounded = std::round(scaled / grain) * grain;
  const int decimals = digits - 1 - magnitude(rounded);
  return fixed(decimals < 0 ? rounded : scaled, decimals) + unit_text(step, unit);
}

double to_digits(double value, int digits) {
  if (value == 0 || !std::isfinite(value)) return value;
  const double grain = std::pow(10.0, std::floor(std::log10(std::fabs(value))) - (digits - 1));
  return std::round(value / grain) * grain;
}

std::string with_uncertainty(double value, double U, std::string_view unit) {
  if (!(U > 0) || !std::isfinite(U)) return with_prefix(value, unit, 4);
  if (std::max(std::fabs(value), U) < kNothing) return with_prefix(0, unit);
  if (U < kNoise * std::fabs(value)) return with_prefix(value, unit, 7);
  // Cut to what that supports, nothing would be left of it.
  if (value != 0 && U > kLost * std::fabs(value))
    return with_prefix(value, unit, 3) + kThin + "(±" + kThin + with_prefix(U, unit, 2) + ")";
  const double grain_of_U = std::pow(10.0, second_digit(U));
  const double rounded_U = std::round(U / grain_of_U) * grain_of_U;
  const int step = step_of(std::max(std::fabs(value), rounded_U));
  const double scale = std::pow(1000.0, step);
  const double u = U / scale;
  const int place = second_digit(u);
  const int decimals = std::max(0, -place);
  const double grain = std::pow(10.0, place);
  const auto cut = [&](double x) { return std::round(x / grain) * grain; };
  return fixed(cut(value / scale), decimals) + kThin + "±" + kThin + fixed(cut(u), decimals) +
         unit_text(step, unit);
}

std::string with_interval(double value, double low, double high, std::string_view unit) {
  const double half = (high - low) / 2;
  const int step = step_of(std::max({std::fabs(value), std::fabs(low), std::fabs(high)}));
  const double scale = std::pow(1000.0, step);
  const bool known = half > kNoise * std::fabs(value) && std::isfinite(half);
  const int place =
      known ? second_digit(half / scale) : magnitude(std::max(std::fabs(value / scale), 1.0)) - 3;
  const double grain = std::pow(10.0, place);
  const auto cut = [&](double x) {
    const double rounded = std::round(x / scale / grain) * grain;
    const std::string text = fixed(rounded, std::max(0, -place));
    return (rounded > 0 ? "+" : "") + text;
  };
  return cut(value) + " (" + cut(low) + " … " + cut(high) + ")" + unit_text(step, unit);
}

std::string_view symbol(ChargeUnit unit) {
  constexpr std::array<std::string_view, 4> kSymbols{"C", "Ah", "Wh", "J"};
  return kSymbols[static_cast<std::size_t>(unit)];
}

double per_coulomb(ChargeUnit unit, double voltage) {
  switch (unit) {
    case ChargeUnit::coulomb:
      return 1;
    case ChargeUnit::ampere_hour:
      return 1.0 / 3600;
    case ChargeUnit::watt_hour:
      return voltage / 3600;
    case ChargeUnit::joule:
      return voltage;
  }
  return 0;
}

std::string charge_text(double coulomb, ChargeUnit unit, double voltage, int digits) {
  const double factor = per_coulomb(unit, voltage);
  return factor > 0 ? with_prefix(coulomb * factor, symbol(unit), digits) : "–";
}

std::string charge_with_uncertainty(double coulomb, double U, ChargeUnit unit, double voltage) {
  const double factor = per_coulomb(unit, voltage);
  return factor > 0 ? with_uncertainty(coulomb * factor, U * factor, symbol(unit)) : "–";
}

std::string duration(double seconds) {
  const double s = std::fabs(seconds);
  if (s < 1) return with_prefix(seconds, "s", 3);
  // What rounds up to the next unit is shown in it: never 60.0 s.
  if (s < 59.9995) return fmt::format("{:.3f}{}s", seconds, kThin);
  // Whole minutes and hours have nothing after them.
  if (const long tenths = std::lround(s * 10); tenths < 36000 && tenths % 600 == 0)
    return fmt::format("{}{}min", tenths / 600, kThin);
  if (const long tenths = std::lround(s * 10); tenths < 36000)
    return fmt::format("{}{}min {:04.1f}{}s", tenths / 600, kThin,
                       static_cast<double>(tenths % 600) / 10, kThin);
  if (s < 48 * 3600) {
    const auto minutes = static_cast<long>(std::round(s / 60));
    if (minutes % 60 == 0) return fmt::format("{}{}h", minutes / 60, kThin);
    return fmt::format("{}{}h {:02}{}min", minutes / 60, kThin, minutes % 60, kThin);
  }
  return life_time(seconds);
}

std::string life_time(double seconds) {
  const double s = std::fabs(seconds);
  const std::string sign = seconds < 0 ? kMinus : "";
  if (s >= 100 * kYear) return sign + fmt::format("{:.0f}{}years", s / kYear, kThin);
  if (s >= 10 * kYear) return sign + fmt::format("{:.1f}{}years", s / kYear, kThin);
  if (s >= 1.5 * kYear) return sign + fmt::format("{:.2f}{}years", s / kYear, kThin);
  if (s >= 2 * kDay) return sign + fmt::format("{:.0f}{}days", s / kDay, kThin);
  return sign + fmt::format("{:.1f}{}hours", s / 3600, kThin);
}

std::string percent(double share) {
  const double p = share * 100;
  if (p != 0 && std::fabs(p) < 0.1) return std::string("< 0.1") + kThin + "%";
  return fixed(p, std::fabs(p) < 9.95 ? 1 : 0) + kThin + "%";
}

std::string signed_prefix(double value, std::string_view unit, int digits) {
  if (value == 0) return with_prefix(0, unit, digits);
  return (value > 0 ? "+" : "") + with_prefix(value, unit, digits);
}

}  // namespace kuvio
