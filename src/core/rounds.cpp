// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rounds.h"

#include "core/recipe.h"

#include <algorithm>

namespace kuvio {

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
  for (const Round& round : rounds) {
    const auto kind = std::find_if(out.begin(), out.end(),
                                   [&](const RoundKind& k) { return k.states == round.states; });
    if (kind != out.end()) {
      kind->rounds.push_back(&round);
    } else {
      out.push_back({round.states, {&round}});
    }
  }
  std::stable_sort(out.begin(), out.end(), [](const RoundKind& a, const RoundKind& b) {
    return a.rounds.size() > b.rounds.size();
  });
  return out;
}

std::string name_of(const std::vector<std::string>& states) {
  std::string out;
  for (const std::string& state : states) out += (out.empty() ? "" : ", ") + state;
  return out.empty() ? "rest alone" : out;
}

}  // namespace kuvio
