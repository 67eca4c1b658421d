// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/special_value.h"

#include <cmath>

namespace kuvio {
namespace {
// 9.91E37 as single precision and few digits have it; between 9.8E37 and that lies 9.9E37.
constexpr double kSpecial = 9.8e37, kNaNFrom = 9.905e37, kNaNTo = 9.915e37;
}  // namespace

double standard_value(double value, double factor) {
  const double size = std::fabs(value);
  if (size < kSpecial) return value * factor;
  if (std::isnan(value) || (size >= kNaNFrom && size <= kNaNTo)) return kNotANumber;
  return (value < 0) == (factor < 0) ? kOverRange : kBelowRange;
}

std::optional<double> special_word(std::string_view cell) {
  for (const char* word : {"NaN", "NAN", "nan", "n/a", "N/A", "#N/A", "null", "NULL"}) {
    if (cell == word) return kNotANumber;
  }
  // "---": at least two, since a single one is a sign.
  if (cell.size() > 1 && cell.find_first_not_of('-') == std::string_view::npos) return kNotANumber;
  const bool below = cell.starts_with('-');
  if (below || cell.starts_with('+')) cell.remove_prefix(1);
  for (const char* word : {"OVLD", "OVL", "OL", "Overload", "inf", "INF", "Inf"}) {
    if (cell == word) return below ? kBelowRange : kOverRange;
  }
  return std::nullopt;
}

std::optional<Flag> flag_of_value(double value) {
  if (std::fabs(value) < kSpecial) return std::nullopt;
  if (value == kRangeChange) return Flag::range_change;
  const double standard = standard_value(value);
  return standard == kNotANumber   ? Flag::not_a_number
         : standard == kBelowRange ? Flag::below_range
                                   : Flag::over_range;
}

}  // namespace kuvio
