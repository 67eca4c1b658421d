// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/device.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace kuvio::sim {

double Stretch::charge(double a, double b) const {
  double q = level_a * (b - a);
  if (ripple_a != 0) {
    const double w = 2 * std::numbers::pi * ripple_hz;
    q += ripple_a / w * (std::cos(w * (a - from_s)) - std::cos(w * (b - from_s)));
  }
  return q;
}

double mean_current(const Device& device, int port, double a, double b, std::size_t& cursor) {
  const auto& stretches = device.stretches(port);
  if (cursor >= stretches.size() || stretches[cursor].from_s > a) {
    cursor = static_cast<std::size_t>(
        std::partition_point(stretches.begin(), stretches.end(),
                             [&](const Stretch& s) { return s.to_s <= a; }) -
        stretches.begin());
  }
  while (cursor < stretches.size() && stretches[cursor].to_s <= a) ++cursor;
  double charge = 0;
  for (std::size_t i = cursor; i < stretches.size() && stretches[i].from_s < b; ++i) {
    const Stretch& s = stretches[i];
    const double from = std::max(a, s.from_s), to = std::min(b, s.to_s);
    if (to > from) charge += s.charge(from, to);
  }
  return charge / (b - a);
}

std::string state_at(const Device& device, int port, double t) {
  const auto& stretches = device.stretches(port);
  const auto it = std::partition_point(stretches.begin(), stretches.end(),
                                       [&](const Stretch& s) { return s.to_s <= t; });
  return it == stretches.end() ? "" : it->state;
}

double fed_volts(const Device& device, int port, double t, double volts) {
  return state_at(device, port, t) == "Held" ? 0.5 * volts : volts;
}

}  // namespace kuvio::sim
