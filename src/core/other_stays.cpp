// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/other_stays.h"

#include <algorithm>
#include <optional>

namespace kuvio {
namespace {

/// A stay begins, or ends.
struct Turn {
  double at_s = 0;
  int rule = 0;
  int by = 0;  // +1 or -1
};

std::vector<Turn> turns_of(const std::vector<FoundStay>& stays) {
  std::vector<Turn> out;
  for (const FoundStay& s : stays) {
    if (!(s.to_s > s.from_s)) continue;
    out.push_back({s.from_s, s.rule, 1});
    out.push_back({s.to_s, s.rule, -1});
  }
  std::sort(out.begin(), out.end(), [](const Turn& a, const Turn& b) { return a.at_s < b.at_s; });
  return out;
}

/// The place of a state's rule in the file; behind all of them where none has that name.
std::size_t place_of(const Recipe& recipe, const std::string& state) {
  const auto it = std::find_if(recipe.states.begin(), recipe.states.end(),
                               [&](const StateRule& r) { return r.name == state; });
  return static_cast<std::size_t>(it - recipe.states.begin());
}

}  // namespace

std::vector<Over> stretches_of_others(const Visits& below, const Recipe& recipe,
                                      const std::vector<FoundStay>& stays) {
  std::vector<Over> out;
  if (stays.empty()) return out;
  const std::vector<Turn> turns = turns_of(stays);
  std::vector<int> holding(recipe.states.size(), 0);
  auto turn = turns.begin();
  const auto take_until = [&](double t) {
    for (; turn != turns.end() && turn->at_s <= t; ++turn)
      holding[static_cast<std::size_t>(turn->rule)] += turn->by;
  };
  for (const Visit& v : below) {
    const std::size_t own = v.state == kMissing ? 0 : place_of(recipe, v.state);
    double at = v.from_s;
    take_until(at);
    while (at < v.to_s) {
      const double to = turn == turns.end() ? v.to_s : std::min(turn->at_s, v.to_s);
      const auto first = std::find_if(holding.begin(), holding.end(), [](int n) { return n > 0; });
      const auto place = static_cast<std::size_t>(first - holding.begin());
      if (place < own && place < recipe.states.size()) {
        const std::string& state = recipe.states[place].name;
        if (!out.empty() && out.back().state == state && out.back().to_s == at) {
          out.back().to_s = to;
        } else {
          out.push_back({state, at, to});
        }
      }
      at = to;
      take_until(at);
    }
  }
  return out;
}

void cut_unseen(Visits& visits, const Recipe& recipe, const std::vector<FoundStay>& stays) {
  for (const FoundStay& s : stays) {
    if (s.begins_seen && s.ends_seen) continue;
    const std::string& state = recipe.states[static_cast<std::size_t>(s.rule)].name;
    auto v = std::upper_bound(visits.begin(), visits.end(), s.from_s,
                              [](double t, const Visit& one) { return t < one.to_s; });
    for (; v != visits.end() && v->from_s < s.to_s; ++v) {
      if (v->state != state) continue;
      if (!s.begins_seen && v->from_s == s.from_s) v->whole = false;
      if (!s.ends_seen && v->to_s == s.to_s) v->whole = false;
    }
  }
}

}  // namespace kuvio
