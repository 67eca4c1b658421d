// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/transitions.h"

#include "core/quantiles.h"
#include "core/step_down.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <optional>
#include <set>
#include <tuple>
#include <utility>

namespace kuvio {
namespace {

constexpr double kSame = 1 + 1e-7;  // tables as likely as the one seen, to rounding
constexpr double kNothing = 1e-17;  // of what is summed up already

/// Goes through a capture's stays and tells each exit: the stay's beginning, whether that was seen,
/// and the visit entered.
template <typename Tell>
void walk(const Visits& visits, Tell tell) {
  struct Stay {
    std::string state;
    double from_s = 0;
    bool seen = false;  // its beginning
  };
  std::optional<Stay> open;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    const Visit& v = visits[i];
    if (v.state == kMissing) {
      // The stretch out of range within a stay: it goes on behind it.
      const bool goes_on = i + 1 < visits.size() && visits[i + 1].continues;
      if (!goes_on) open.reset();
      continue;
    }
    if (v.continues && open && open->state == v.state) continue;
    if (v.state == kUnassigned && v.narrow) continue;
    if (open && v.state == open->state) continue;  // two visits that a hand parted
    const bool seen = open.has_value();
    if (open && v.state != kOff) tell(open->state, v.from_s - open->from_s, open->seen, i);
    open = Stay{v.state, v.from_s, seen};
  }
}

}  // namespace

std::size_t Transitions::exits(const std::string& from) const {
  std::size_t out = 0;
  for (const Transition& t : all) out += t.from == from ? t.count : 0;
  return out;
}

const Transition* Transitions::find(const std::string& from, const std::string& to) const {
  const auto it = std::find_if(all.begin(), all.end(),
                               [&](const Transition& t) { return t.from == from && t.to == to; });
  return it == all.end() ? nullptr : &*it;
}

Transitions transitions_of(const std::vector<const Visits*>& captures) {
  Transitions out;
  std::map<std::string, std::size_t> order;  // of `from`
  std::map<std::pair<std::string, std::string>, std::size_t> at;
  std::vector<std::vector<double>> lengths;
  for (std::size_t c = 0; c < captures.size(); ++c) {
    const Visits& visits = *captures[c];
    walk(visits, [&](const std::string& from, double length_s, bool seen, std::size_t entered) {
      const Visit& next = visits[entered];
      order.try_emplace(from, order.size());
      const auto [it, first] = at.try_emplace({from, next.state}, out.all.size());
      if (first) {
        Transition t;
        t.from = from;
        t.to = next.state;
        t.first_s = next.from_s;
        out.all.push_back(std::move(t));
        lengths.emplace_back();
      }
      Transition& met = out.all[it->second];
      ++met.count;
      if (c == 0) met.entered.push_back(entered);
      if (seen) lengths[it->second].push_back(length_s);
    });
  }
  std::map<std::string, std::size_t> exits;
  for (const Transition& t : out.all) exits[t.from] += t.count;
  for (std::size_t i = 0; i < out.all.size(); ++i) {
    Transition& t = out.all[i];
    t.share = static_cast<double>(t.count) / static_cast<double>(exits[t.from]);
    if (lengths[i].empty()) continue;
    const auto [low, high] = std::minmax_element(lengths[i].begin(), lengths[i].end());
    t.shortest_s = *low;
    t.longest_s = *high;
    t.median_s = median(lengths[i]);
  }
  std::stable_sort(out.all.begin(), out.all.end(), [&](const Transition& a, const Transition& b) {
    return std::pair(order[a.from], b.count) < std::pair(order[b.from], a.count);
  });
  return out;
}

std::string_view to_string(Way way) {
  switch (way) {
    case Way::alike:
      return "alike";
    case Way::fresh:
      return "new";
    case Way::gone:
      return "gone";
    case Way::more:
      return "more";
    case Way::less:
      return "less";
    case Way::unsure:
      return "unsure";
  }
  return "";
}

double fisher_exact(std::size_t a, std::size_t m, std::size_t b, std::size_t n) {
  if (m == 0 || n == 0) return 1;
  // How likely each table of these totals is beside the one seen: from one to the next by the ratio
  // of two hypergeometric terms, until they no longer count.
  const auto marked = static_cast<double>(a + b), all_m = static_cast<double>(m),
             all_n = static_cast<double>(n);
  double total = 1, as_far = 1;
  const auto take = [&](double one) {
    total += one;
    if (one <= kSame) as_far += one;
    return one > 0 && (one > kNothing * as_far || one > 1);
  };
  double one = 1;
  for (auto k = static_cast<double>(a); k < std::min(marked, all_m); ++k) {
    one *= (marked - k) * (all_m - k) / ((k + 1) * (all_n - marked + k + 1));
    if (!take(one)) break;
  }
  one = 1;
  for (auto k = static_cast<double>(a); k > std::max(0.0, marked - all_n); --k) {
    one *= k * (all_n - marked + k) / ((marked - k + 1) * (all_m - k + 1));
    if (!take(one)) break;
  }
  return std::isfinite(total) ? std::min(as_far / total, 1.0) : 0;
}

namespace {

/// Which pairs are shown to differ. A pair that cannot tell (a state with one way out, or never
/// left on one side) is no test, and the two ways out of a state are one.
std::vector<bool> shown(const std::vector<WayDifference>& pairs) {
  std::map<std::string, std::vector<std::size_t>> by_state;
  for (std::size_t i = 0; i < pairs.size(); ++i) {
    if (pairs[i].exits > 0 && pairs[i].reference_exits > 0) by_state[pairs[i].from].push_back(i);
  }
  std::vector<double> p;
  std::vector<std::vector<std::size_t>> of;
  for (const auto& [state, ways] : by_state) {
    if (ways.size() == 2) {
      p.push_back(pairs[ways.front()].p);
      of.push_back(ways);
    }
    for (std::size_t i = 0; ways.size() > 2 && i < ways.size(); ++i) {
      p.push_back(pairs[ways[i]].p);
      of.push_back({ways[i]});
    }
  }
  std::vector<bool> out(pairs.size(), false);
  const std::vector<bool> hold = step_down(p);
  for (std::size_t k = 0; k < hold.size(); ++k) {
    for (const std::size_t i : of[k]) out[i] = hold[k];
  }
  return out;
}

Way way_of(const WayDifference& d, bool differs) {
  if (d.reference_count == 0) return differs ? Way::fresh : Way::unsure;
  if (d.count == 0) return differs ? Way::gone : Way::unsure;
  if (!differs) return Way::alike;
  return d.share() > d.reference_share() ? Way::more : Way::less;
}

std::set<std::string> states_of(const Transitions& ways) {
  std::set<std::string> out;
  for (const Transition& t : ways.all) out.insert({t.from, t.to});
  return out;
}

std::vector<std::string> less(const std::set<std::string>& a, const std::set<std::string>& b) {
  std::vector<std::string> out;
  std::set_difference(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(out));
  return out;
}

}  // namespace

WayComparison compare_ways(const Transitions& here, const Transitions& reference) {
  WayComparison out;
  const auto add = [&](const Transition& t) {
    const Transition* mine = here.find(t.from, t.to);
    const Transition* theirs = reference.find(t.from, t.to);
    WayDifference d;
    d.from = t.from;
    d.to = t.to;
    d.count = mine ? mine->count : 0;
    d.exits = here.exits(t.from);
    d.reference_count = theirs ? theirs->count : 0;
    d.reference_exits = reference.exits(t.from);
    d.p = fisher_exact(d.count, d.exits, d.reference_count, d.reference_exits);
    if (mine) d.first_s = mine->first_s;
    out.pairs.push_back(std::move(d));
  };
  for (const Transition& t : here.all) add(t);
  for (const Transition& t : reference.all) {
    if (!here.find(t.from, t.to)) add(t);
  }
  const std::vector<bool> differs = shown(out.pairs);
  for (std::size_t i = 0; i < out.pairs.size(); ++i)
    out.pairs[i].way = way_of(out.pairs[i], differs[i]);
  // What is on one side alone before what is only more or less.
  const auto rank = [](const WayDifference& d) {
    const bool sure = d.way != Way::alike && d.way != Way::unsure;
    const bool one_sided = d.count == 0 || d.reference_count == 0;
    return std::tuple(!sure, d.way == Way::alike, d.p, !one_sided);
  };
  std::stable_sort(
      out.pairs.begin(), out.pairs.end(),
      [&](const WayDifference& a, const WayDifference& b) { return rank(a) < rank(b); });
  const auto mine = states_of(here), theirs = states_of(reference);
  out.new_states = less(mine, theirs);
  out.lost_states = less(theirs, mine);
  return out;
}

}  // namespace kuvio
