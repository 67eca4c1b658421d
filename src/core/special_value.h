// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sample.h"

#include <optional>
#include <string_view>

namespace kuvio {

// What instruments put where a sample should be and is none: read alike from every kind of input.
// SCPI-1999, 7.2.1.4: 9.9E37 stands for infinity, -9.9E37 for its negative, 9.91E37 for not a
// number; instruments print them with few digits, and IEEE 754 has values of its own for all three.

inline constexpr double kOverRange = 9.9e37, kBelowRange = -9.9e37, kNotANumber = 9.91e37;
/// Ours, never an instrument's: taken while the range changed.
inline constexpr double kRangeChange = 9.92e37;

/// A number as an input delivers it: a special one in whatever form becomes one of the three above,
/// any other is multiplied by `factor`.
double standard_value(double value, double factor = 1);

/// A word that stands for a sample that is none ("NaN", "OL", "-OVLD", "inf"), as one of the three;
/// nothing for any other.
std::optional<double> special_word(std::string_view cell);

/// Why a value of an input is no data; nothing for a sample like any other.
std::optional<Flag> flag_of_value(double value);

}  // namespace kuvio
