// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace kuvio {

/// How numbers are written for people: SI prefixes, a thin space before the unit, digits cut to
/// what the uncertainty supports. Everything that a person reads goes through here.

/// "3.12 mA", "105 mC", "0 A": `digits` significant digits. What is under 1e-18, of any unit, is
/// the rounding of numbers and written as 0.
std::string with_prefix(double value, std::string_view unit, int digits = 3);

/// A number to so many significant digits: what people would type. 0 and what is not finite stay.
double to_digits(double value, int digits);

/// "9.370 ± 0.021 mA": the uncertainty to two significant digits (JCGM 100:2008, 7.2.6), the value
/// to the same place, both with one prefix. U <= 0 falls back to with_prefix(value, unit, 4), and
/// so does one that is only the rounding of numbers, with seven digits. One a thousand times the
/// value and more stands behind the whole value: "192 mA (± 260 kA)".
std::string with_uncertainty(double value, double U, std::string_view unit);

/// In which unit charge is shown. A table never mixes them. Energies need a voltage.
enum class ChargeUnit { coulomb, ampere_hour, watt_hour, joule };
/// "C", "Ah", "Wh", "J".
std::string_view symbol(ChargeUnit unit);
/// What a charge of 1 C at `voltage` (V) is in this unit; 0 when that is not known.
double per_coulomb(ChargeUnit unit, double voltage);
/// A charge in C shown in a unit: "105 mC", "29.2 µAh", "378 mJ"; "–" when the voltage is needed
/// and not known (0).
std::string charge_text(double coulomb, ChargeUnit unit, double voltage, int digits = 3);
std::string charge_with_uncertainty(double coulomb, double U, ChargeUnit unit, double voltage);

/// "+34.9 (+34.8 … +35.0) µA": one prefix, the digits that the interval supports.
std::string with_interval(double value, double low, double high, std::string_view unit);

/// "12.331 s", "1 h 02 min", "2.8 years": a length of time for people.
std::string duration(double seconds);
/// "2.81 years", "310 days", "14.2 hours".
std::string life_time(double seconds);
/// "37 %", "0.4 %", "< 0.1 %".
std::string percent(double share);
/// With a leading + or − (U+2212): "+34.1 µA".
std::string signed_prefix(double value, std::string_view unit, int digits = 3);

}  // namespace kuvio
