// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

namespace kuvio {

/// What a number measures. Values inside Kuvio are always in the SI unit named here; a percentage
/// is a plain ratio (2 % is 0.02) and a rate is per second.
enum class Dimension {
  current,         ///< A
  voltage,         ///< V
  time,            ///< s
  charge,          ///< C
  energy,          ///< J
  power,           ///< W
  resistance,      ///< Ohm
  capacitance,     ///< F
  frequency,       ///< Hz, also "4 /h" and "4 /d"
  ratio,           ///< 1
  ratio_per_time,  ///< 1/s as written, e.g. "1 %/y"
};

/// What a channel's values are of. To add one: its name here and its line in the table.
enum class Quantity {
  current,
  voltage,
  power,
  charge,
  logic,  ///< words of digital lines, a bit a line
  other,  ///< of a later version: shown with its unit, and otherwise left alone
};

struct QuantityInfo {
  Quantity quantity;
  std::string_view key;   ///< in books, profiles and JSON
  std::string_view unit;  ///< SI; "" for logic
  Dimension dimension;    ///< how it is written; `ratio` where it has none
};

const QuantityInfo& info(Quantity quantity);
/// `other` where none has that key.
Quantity quantity_of(std::string_view key);

/// Reads "38 mC", "200 uA", "2 y", "4 /h", "1 %/y": a number, white space or none, a unit.
///
/// Knows the SI prefixes from f to T (µ as U+00B5, U+03BC or u), h, min, d (86 400 s), month
/// (30.4375 d), y (365.25 d), and Ah, mAh, Wh, As. Throws std::invalid_argument whose text says
/// what is wrong ("needs a unit of current such as \"4 uA\""); a number without a unit is such an
/// error.
double parse_quantity(std::string_view text, Dimension dimension);

/// The factor that brings a value in `unit` to SI, or throws std::invalid_argument.
double unit_factor(std::string_view unit, Dimension dimension);

/// "a unit of current such as \"4 uA\"", for messages.
std::string describe(Dimension dimension);

/// Symbol of the SI unit: "A", "V", "s", "C", ….
std::string_view unit_symbol(Dimension dimension);

}  // namespace kuvio
