// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rounds.h"

#include "core/recipe.h"

#include <algorithm>
#include <cmath>

namespace kuvio {
namespace {

using States = std::vector<std::string>;

/// Of each place in a round, the number of states that a part takes up from there so that parts
/// follow one another to the end; 0 where none does. The longest goes first.
std::vector<std::size_t> steps_through(const States& states, const std::vector<States>& parts) {
  const std::size_t n = states.size();
  std::vector<std::size_t> out(n, 0);
  for (std::size_t at = n; at-- > 0;) {
    for (const States& part : parts) {
      const std::size_t end = at + part.size();
      if (part.size() <= out[at] || end > n || (end < n && out[end] == 0)) continue;
      if (std::equal(part.begin(), part.end(), states.begin() + static_cast<std::ptrdiff_t>(at)))
        out[at] = part.size();
    }
  }
  return out;
}

States stretch(const States& states, std::size_t from, std::size_t count) {
  const auto begin = states.begin() + static_cast<std::ptrdiff_t>(from);
  return {begin, begin + static_cast<std::ptrdiff_t>(count)};
}

bool is_made_up(const RoundKind& kind, const std::vector<RoundKind>& kinds) {
  std::vector<States> others;
  for (const RoundKind& k : kinds) {
    if (&k != &kind && !k.states.empty()) others.push_back(k.states);
  }
  const std::vector<std::size_t> steps = steps_through(kind.states, others);
  if (steps.empty() || steps.front() == 0) return false;
  for (std::size_t at = 0; at < steps.size(); at += steps[at]) {
    const States part = stretch(kind.states, at, steps[at]);
    const auto own = std::find_if(kinds.begin(), kinds.end(),
                                  [&](const RoundKind& k) { return k.states == part; });
    if (own->rounds.size() > kind.rounds.size()) return true;
  }
  return false;
}

void add_round(std::vector<RoundKind>& kinds, const States& states, const Round& round) {
  const auto kind = std::find_if(kinds.begin(), kinds.end(),
                                 [&](const RoundKind& k) { return k.states == states; });
  if (kind != kinds.end()) {
    kind->rounds.push_back(&round);
  } else {
    kinds.push_back({states, {&round}});
  }
}

std::vector<RoundKind> by_number(std::vector<RoundKind> kinds) {
  std::stable_sort(kinds.begin(), kinds.end(), [](const RoundKind& a, const RoundKind& b) {
    return a.rounds.size() > b.rounds.size();
  });
  return kinds;
}

/// Whose round this is: of the part that holds most of its charge, if it is there once.
States leading_part(const Round& round, const std::vector<States>& simple) {
  const std::vector<Round> parts = taken_apart({round}, simple);
  if (parts.size() < 2) return round.states;
  const auto most = std::max_element(
      parts.begin(), parts.end(),
      [](const Round& a, const Round& b) { return std::fabs(a.charge) < std::fabs(b.charge); });
  const auto alike = std::count_if(parts.begin(), parts.end(),
                                   [&](const Round& r) { return r.states == most->states; });
  return alike == 1 ? most->states : round.states;
}

}  // namespace

std::vector<Round> rounds_of(const Ledger& ledger, const std::string& rest) {
  std::vector<Round> out;
  std::optional<Round> open;
  const Passed* before = nullptr;
  for (const Passed& p : ledger.sequence) {
    const bool same = before && before->capture == p.capture;
    const bool broken = p.state == kMissing || p.state == kOff || !same;
    if (broken) open.reset();
    const bool entered = same && p.state == rest && before->state != kMissing &&
                         before->state != kOff && before->state != rest;
    if (entered) {
      if (open) out.push_back(std::move(*open));
      open = Round{p.capture, {}, {}, 0, 0};
    }
    if (open) {
      open->charge += p.charge;
      open->length += p.length;
      if (p.state != rest) {
        open->states.push_back(p.state);
        open->parts.push_back(&p);
      }
    }
    before = &p;
  }
  return out;
}

std::vector<RoundKind> kinds_of(const std::vector<Round>& rounds) {
  std::vector<RoundKind> out;
  for (const Round& round : rounds) add_round(out, round.states, round);
  return by_number(std::move(out));
}

std::vector<States> simple_kinds(const std::vector<Round>& rounds) {
  const std::vector<RoundKind> kinds = kinds_of(rounds);
  std::vector<States> out;
  for (const RoundKind& kind : kinds) {
    if (!kind.states.empty() && !is_made_up(kind, kinds)) out.push_back(kind.states);
  }
  return out;
}

std::vector<Round> taken_apart(const std::vector<Round>& rounds, const std::vector<States>& parts) {
  std::vector<Round> out;
  for (const Round& round : rounds) {
    const std::vector<std::size_t> steps = steps_through(round.states, parts);
    if (steps.empty() || steps.front() == 0) continue;
    for (std::size_t at = 0; at < steps.size(); at += steps[at]) {
      Round part{round.capture, stretch(round.states, at, steps[at]), {}, 0, 0};
      for (std::size_t i = at; i < at + steps[at]; ++i) {
        part.parts.push_back(round.parts[i]);
        part.charge += round.parts[i]->charge;
        part.length += round.parts[i]->length;
      }
      out.push_back(std::move(part));
    }
  }
  return out;
}

std::vector<RoundKind> kinds_by_charge(const std::vector<Round>& rounds) {
  const std::vector<States> simple = simple_kinds(rounds);
  std::vector<RoundKind> out;
  for (const Round& round : rounds) add_round(out, leading_part(round, simple), round);
  return by_number(std::move(out));
}

std::string name_of(const std::vector<std::string>& states) {
  std::string out;
  for (const std::string& state : states) out += (out.empty() ? "" : ", ") + state;
  return out.empty() ? "rest alone" : out;
}

}  // namespace kuvio
