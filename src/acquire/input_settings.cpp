// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/input_settings.h"

#include "core/number_text.h"

namespace kuvio::acquire {
namespace {

// "3.9 V" times a factor, or by way of an instrument's own unit, may come back a rounding above.
constexpr double kRounding = 1e-9;

std::string refuses(double value, const std::optional<double>& most, const char* unit) {
  if (!most || value <= *most * (1 + kRounding)) return {};
  return with_prefix(value, unit, 4) + " is above its ceiling of " + with_prefix(*most, unit, 4);
}

}  // namespace

std::string Ceiling::refuses_voltage(double volts) const { return refuses(volts, voltage, "V"); }

std::string Ceiling::refuses_current(double amperes) const {
  return refuses(amperes, current, "A");
}

}  // namespace kuvio::acquire
