// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/cycles.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

namespace kuvio {
namespace {

std::vector<double> entries(const Visits& visits, const std::string& state) {
  std::vector<double> out;
  for (std::size_t i = 1; i < visits.size(); ++i) {
    if (visits[i].state == state && visits[i - 1].state != kMissing)
      out.push_back(visits[i].from_s);
  }
  return out;
}

}  // namespace

std::optional<WholeCycles> whole_cycles(const Visits& visits, const std::string& state,
                                        double from_s, double to_s) {
  const std::vector<double> at = entries(visits, state);
  if (at.size() < 2) return std::nullopt;
  const auto nearest = [&](double t) {
    const auto after = std::lower_bound(at.begin(), at.end(), t);
    if (after == at.begin()) return std::ptrdiff_t{0};
    if (after == at.end() || t - *(after - 1) < *after - t) return after - 1 - at.begin();
    return after - at.begin();
  };
  const auto last = static_cast<std::ptrdiff_t>(at.size()) - 1;
  std::ptrdiff_t a = nearest(from_s), b = nearest(to_s);
  if (a == b) {  // a span shorter than a cycle: the cycle that holds its middle
    const double middle = (from_s + to_s) / 2;
    a = std::upper_bound(at.begin(), at.end(), middle) - at.begin() - 1;
    a = std::clamp<std::ptrdiff_t>(a, 0, last - 1);
    b = a + 1;
  }
  return WholeCycles{at[static_cast<std::size_t>(a)], at[static_cast<std::size_t>(b)], state,
                     static_cast<int>(b - a)};
}

std::string cycle_state(const Visits& visits, double at_s) {
  std::map<std::string, std::pair<std::size_t, double>> seen;  // entries, time
  for (const Visit& v : visits) seen[v.state].second += v.length_s();
  for (auto& [state, figures] : seen) figures.first = entries(visits, state).size();
  const auto repeats = [&](const std::string& state) {
    return !is_built_in_state(state) && seen[state].first >= 2;
  };
  for (const Visit& v : visits) {
    if (at_s >= v.from_s && at_s < v.to_s && repeats(v.state)) return v.state;
  }
  std::string best;
  double most = -1;
  for (const auto& [state, figures] : seen) {
    if (!repeats(state) || figures.second <= most) continue;
    best = state;
    most = figures.second;
  }
  return best;
}

}  // namespace kuvio
