// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/fills.h"

#include "core/error.h"
#include "formats/palette.h"
#include "formats/project_files.h"

#include <algorithm>
#include <set>
#include <vector>

namespace kuvio::app {

Fills fills_for(const std::string& recipe_text, const Visits& visits) {
  std::vector<std::string> order;
  try {
    if (!recipe_text.empty()) {
      for (const StateRule& rule :
           formats::parse_recipe(recipe_text, "recipe in the book").recipe.states)
        order.push_back(rule.name);
    }
  } catch (const Error&) {  // the order of the visits serves
  }
  std::map<std::string, double> times;
  for (const Visit& v : visits) {
    times[v.state] += v.length_s();
    if (std::find(order.begin(), order.end(), v.state) == order.end()) order.push_back(v.state);
  }
  std::string longest;
  double most = -1;
  for (const auto& [state, time] : times) {
    if (!is_built_in_state(state) && time > most) {
      most = time;
      longest = state;
    }
  }
  return formats::assign_fills(order, longest);
}

Fills fills_for(const std::vector<StateRule>& rules, const Fills& before) {
  Fills out;
  std::set<std::size_t> taken;
  for (const StateRule& rule : rules) {
    const auto it = before.find(rule.name);
    if (it == before.end()) continue;
    out.insert(*it);
    taken.insert(it->second);
  }
  std::size_t free = 0;
  for (const StateRule& rule : rules) {
    if (out.count(rule.name) > 0) continue;
    while (taken.count(free) > 0) ++free;
    out[rule.name] = free;
    taken.insert(free);
  }
  return out;
}

Fills fills_for(const std::vector<TypedReading>& readings) {
  std::vector<std::string> order;
  for (const TypedReading& r : readings) {
    if (std::find(order.begin(), order.end(), r.state) == order.end()) order.push_back(r.state);
  }
  return formats::assign_fills(order, order.empty() ? "" : order.front());
}

}  // namespace kuvio::app
