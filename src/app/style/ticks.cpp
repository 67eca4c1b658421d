// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/ticks.h"

#include "app/engine/time_notation.h"
#include "core/level_scale.h"
#include "core/number_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace kuvio::app {
namespace {

double nice_step(double raw) {
  const double decade = std::pow(10.0, std::floor(std::log10(raw)));
  for (const double m : {1.0, 2.0, 5.0, 10.0}) {
    if (raw <= m * decade * (1 + 1e-9)) return m * decade;
  }
  return 10 * decade;
}

double time_step(double raw) {
  if (raw <= 10) return nice_step(raw);
  constexpr std::array<double, 15> kSteps{15,   20,   30,   60,    120,   300,   600,  900,
                                          1800, 3600, 7200, 14400, 21600, 43200, 86400};
  for (const double s : kSteps) {
    if (raw <= s) return s;
  }
  return std::ceil(raw / 86400) * 86400;
}

int decimals_of(double step) {
  return std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 12);
}

}  // namespace

std::vector<Tick> time_ticks(double from, double to, int at_most) {
  std::vector<Tick> out;
  if (!(to > from)) return out;
  const double step = time_step((to - from) / std::max(1, at_most));
  const double first = std::ceil(from / step - 1e-9) * step;
  const bool clocks = time_notation() == TimeNotation::clock && to >= 120;
  const bool deep =
      std::max(std::fabs(from), std::fabs(to)) > 2000 * std::min(step, 1.0) && step < 1;
  for (int i = 0; first + step * i <= to * (1 + 1e-12); ++i) {
    const double t = first + step * i;
    std::string label;
    if (deep && i > 0) {
      label = fmt::format("+{}", with_prefix(step * i, "s", 3));
    } else if (clocks) {
      label = time_text(t, decimals_of(step));
    } else {
      label = fmt::format("{:.{}f}\u2009s", t == 0 ? 0.0 : t, decimals_of(step));
    }
    out.push_back({t, label, true});
  }
  return out;
}

std::vector<Tick> value_ticks(double from, double to, int at_most, const std::string& unit) {
  std::vector<Tick> out;
  if (!(to > from)) return out;
  const double step = nice_step((to - from) / std::max(1, at_most));
  const double largest = std::max(std::fabs(from), std::fabs(to));
  const int power = std::clamp(
      static_cast<int>(std::floor(std::log10(std::max(largest, 1e-15)) / 3 + 1e-9)), -5, 4);
  const int prefix = power + 5;
  const double scale = std::pow(1000.0, power);
  constexpr std::array<const char*, 10> kPrefix{"f", "p", "n", "µ", "m", "", "k", "M", "G", "T"};
  const int decimals = decimals_of(step / scale);
  for (double v = std::ceil(from / step - 1e-9) * step; v <= to + step * 1e-9; v += step) {
    const double shown = std::fabs(v) < step * 1e-9 ? 0 : v / scale;
    std::string text = fmt::format("{:.{}f}\u2009{}{}", std::fabs(shown), decimals,
                                   kPrefix[static_cast<std::size_t>(prefix)], unit);
    out.push_back({v, (shown < 0 ? "\u2212" : "") + text, true});
  }
  return out;
}

std::vector<Tick> log_ticks(double from, double to, double pixels, double minor_from,
                            const std::string& unit) {
  std::vector<Tick> out;
  const double decades = std::log10(to / from);
  if (!(decades > 0)) return out;
  const double per_decade = pixels / decades;
  const int stride = std::max(1, static_cast<int>(std::ceil(16 / per_decade)));
  for (int e = static_cast<int>(std::floor(std::log10(from)));
       e <= static_cast<int>(std::ceil(std::log10(to))); ++e) {
    const double decade = std::pow(10.0, e);
    if (decade >= from * 0.999 && decade <= to * 1.001) {
      out.push_back({decade, e % stride == 0 ? with_prefix(decade, unit, 1) : "", true});
    }
    if (per_decade < minor_from) continue;
    for (int m = 2; m <= 9; ++m) {
      if (m * decade > from && m * decade < to) {
        // A view of less than a decade or so needs numbers between the decades too.
        const bool labelled = per_decade > 220 && (m == 2 || m == 5);
        out.push_back({m * decade, labelled ? with_prefix(m * decade, unit, 1) : "", false});
      }
    }
  }
  std::sort(out.begin(), out.end(), [](const Tick& a, const Tick& b) { return a.at < b.at; });
  return out;
}

std::vector<Tick> both_ways_ticks(double from, double to, double quiet, double pixels,
                                  const std::string& unit) {
  std::vector<Tick> out;
  if (!(to > from)) return out;
  const double per_decade = pixels / (to - from);
  const int stride = std::max(1, static_cast<int>(std::ceil(18 / per_decade)));
  const auto add = [&](double value, bool labelled, bool major) {
    const double at = symlog(value, quiet);
    if (at < from - 1e-9 || at > to + 1e-9) return;
    out.push_back(
        {at, labelled ? value == 0 ? "0\u2009" + unit : with_prefix(value, unit, 1) : "", major});
  };
  add(0, true, true);
  const int most = static_cast<int>(std::ceil(std::max(std::fabs(from), std::fabs(to))));
  for (const double sign : {-1.0, 1.0}) {
    for (int k = 0; k <= most; ++k) {
      const double decade = sign * quiet * std::pow(10.0, k);
      // The decade next to zero has its label where it keeps clear of zero's.
      add(decade, k % stride == 0 && symlog(std::fabs(decade), quiet) * per_decade > 13, true);
      if (per_decade < 54) continue;
      for (int m = 2; m <= 9; ++m) add(m * decade, false, false);
    }
  }
  std::sort(out.begin(), out.end(), [](const Tick& a, const Tick& b) { return a.at < b.at; });
  return out;
}

}  // namespace kuvio::app
