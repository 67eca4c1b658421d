// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/level_scale.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace kuvio {
namespace {
constexpr double kFlowsBack = 0.02;  // of the largest current: less is noise about zero
constexpr double kMostDecades = 1e-7, kLeastDecades = 0.1;  // from the largest to the quiet level
}  // namespace

double symlog(double value, double quiet) {
  return std::asinh(value / (2 * quiet)) / std::numbers::ln10;
}

double from_symlog(double decades, double quiet) {
  return 2 * quiet * std::sinh(decades * std::numbers::ln10);
}

double quiet_level(const std::vector<EnvelopeColumn>& columns) {
  std::vector<double> feet;
  for (const EnvelopeColumn& c : columns) {
    if (c.any && c.hi > 0) feet.push_back(std::max(c.lo, c.hi / 30));
  }
  if (feet.empty()) return 0;
  const auto at = feet.begin() + static_cast<std::ptrdiff_t>(feet.size() / 25);
  std::nth_element(feet.begin(), at, feet.end());
  return *at;
}

LevelScale LevelScale::of(const std::vector<EnvelopeColumn>& columns) {
  LevelScale out;
  double top = 0, bottom = 0;
  for (const EnvelopeColumn& c : columns) {
    if (c.any) top = std::max(top, c.hi);
    if (c.any) bottom = std::min(bottom, c.lo);
  }
  const double largest = std::max(top, -bottom);
  if (!(largest > 0)) {
    out.through = true;
    out.low = -1;
    out.high = 1;
    return out;
  }
  out.quiet = std::clamp(quiet_level(columns), largest * kMostDecades, largest * kLeastDecades);
  out.through = bottom < -kFlowsBack * largest && bottom < -3 * out.quiet;
  out.high = out.through ? symlog(top, out.quiet) : std::log10(top);
  out.low = out.through ? symlog(bottom, out.quiet) : std::min(out.high - 1, std::log10(out.quiet));
  return out;
}

double LevelScale::place(double value) const {
  const double at = through ? symlog(value, quiet) : std::log10(std::max(value, quiet));
  return std::clamp(at, low, high);
}

}  // namespace kuvio
