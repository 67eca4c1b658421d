// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/time_notation.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>

namespace kuvio::app {
namespace {
std::atomic<TimeNotation> in_force = TimeNotation::clock;
}

TimeNotation time_notation() { return in_force; }
void set_time_notation(TimeNotation notation) { in_force = notation; }

std::string time_text(double t, int decimals) {
  const int digits = std::clamp(decimals, 0, 12);
  const std::string plain = fmt::format("{:.{}f}", std::fabs(t), digits);
  const bool nothing = plain.find_first_not_of("0.") == std::string::npos;
  const std::string sign = t < 0 && !nothing ? "\u2212" : "";
  if (in_force == TimeNotation::seconds) return sign + plain + "\u2009s";
  // The whole seconds of what was rounded, and its decimals as they stand.
  const auto point = plain.find('.');
  const long long s = std::stoll(plain.substr(0, point));
  const std::string rest = point == std::string::npos ? "" : plain.substr(point);
  if (s >= 3600) return sign + fmt::format("{}:{:02}:{:02}{}", s / 3600, s / 60 % 60, s % 60, rest);
  return sign + fmt::format("{}:{:02}{}", s / 60, s % 60, rest);
}

std::string exact_time_text(double t) { return time_text(t, 3); }

}  // namespace kuvio::app
