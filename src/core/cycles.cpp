// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/cycles.h"

#include "core/recipe.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace kuvio {
namespace {

/// Cycles that follow each other without a break: [first, last) of a list.
struct Run {
  std::size_t first = 0, last = 0;
};

std::vector<Run> runs_of(const std::vector<Cycle>& cycles) {
  std::vector<Run> out;
  for (std::size_t i = 0; i < cycles.size(); ++i) {
    if (out.empty() || cycles[i].first != cycles[i - 1].last) out.push_back({i, i});
    out.back().last = i + 1;
  }
  return out;
}

WholeCycles span_of(const std::vector<Cycle>& cycles, Run run, const std::string& state) {
  return {cycles[run.first].from_s, cycles[run.last - 1].to_s, state,
          static_cast<int>(run.last - run.first)};
}

bool interrupts(const std::string& state) { return state == kMissing || state == kOff; }

}  // namespace

bool is_entry(const Visits& visits, std::size_t at) {
  return at > 0 && !interrupts(visits[at].state) && visits[at - 1].state != kMissing;
}

std::vector<Cycle> cycles_of(const Visits& visits, const std::string& state) {
  std::vector<Cycle> out;
  std::optional<std::size_t> entered;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    if (interrupts(visits[i].state)) entered.reset();
    if (visits[i].state != state || !is_entry(visits, i)) continue;
    if (entered) out.push_back({visits[*entered].from_s, visits[i].from_s, *entered, i});
    entered = i;
  }
  return out;
}

CycleSums sums_of_cycles(const std::vector<VisitFigures>& visits, const std::string& state) {
  CycleSums out;
  for (const Cycle& c : cycles_of(visits_of(visits), state)) {
    double charge = 0;
    for (std::size_t i = c.first; i < c.last; ++i) charge += visits[i].charge;
    out.periods.push_back(c.period_s());
    out.charges.push_back(charge);
  }
  return out;
}

CycleFigures figures_of_cycles(const std::vector<VisitFigures>& visits, const std::string& state) {
  const CycleSums sums = sums_of_cycles(visits, state);
  return {state, sums.periods.size(), repeatability(sums.periods), repeatability(sums.charges)};
}

std::optional<WholeCycles> whole_cycles(const Visits& visits, const std::string& state,
                                        double from_s, double to_s) {
  const std::vector<Cycle> cycles = cycles_of(visits, state);
  if (cycles.empty()) return std::nullopt;
  Run best;
  double most = -INFINITY;
  for (const Run& run : runs_of(cycles)) {
    const double shared =
        std::min(to_s, cycles[run.last - 1].to_s) - std::max(from_s, cycles[run.first].from_s);
    if (shared > most) {
      most = shared;
      best = run;
    }
  }
  std::vector<double> at;
  for (std::size_t i = best.first; i < best.last; ++i) at.push_back(cycles[i].from_s);
  at.push_back(cycles[best.last - 1].to_s);
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

std::optional<WholeCycles> cycles_inside(const Visits& visits, const std::string& state,
                                         double from_s, double to_s) {
  const double slack = 1e-7 * (to_s - from_s);
  std::vector<Cycle> inside;
  for (const Cycle& c : cycles_of(visits, state)) {
    if (c.from_s >= from_s - slack && c.to_s <= to_s + slack) inside.push_back(c);
  }
  std::optional<WholeCycles> best;
  for (const Run& run : runs_of(inside)) {
    const WholeCycles found = span_of(inside, run, state);
    if (!best || found.to_s - found.from_s > best->to_s - best->from_s) best = found;
  }
  return best;
}

std::string cycle_state(const Visits& visits, double at_s) {
  std::map<std::string, std::pair<bool, double>> seen;  // repeats, time
  for (const Visit& v : visits) seen[v.state].second += v.length_s();
  for (auto& [state, figures] : seen)
    figures.first = !is_built_in_state(state) && !cycles_of(visits, state).empty();
  for (const Visit& v : visits) {
    if (at_s >= v.from_s && at_s < v.to_s && seen[v.state].first) return v.state;
  }
  std::string best;
  double most = -1;
  for (const auto& [state, figures] : seen) {
    if (!figures.first || figures.second <= most) continue;
    best = state;
    most = figures.second;
  }
  return best;
}

}  // namespace kuvio
