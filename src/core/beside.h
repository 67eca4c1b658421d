// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/event.h"

#include <string>
#include <vector>

namespace kuvio {

/// A moment that an anchor found (s), and the state's name as its expression completes it; empty
/// where the rule's own name stands.
struct Moment {
  double at_s = 0;
  std::string name{};
};

/// A stay that a rule with a channel of its own found there (s), and whether its ends were seen.
struct FoundStay {
  int rule = 0;
  double from_s = 0, to_s = 0;
  bool begins_seen = true, ends_seen = true;
};

/// What happened beside the samples.
struct Beside {
  struct Rule {
    std::vector<Moment> begins, ends;  ///< in order of time, offsets included
  };
  std::vector<OutputSwitch> switches;
  std::vector<Rule> rules;         ///< as the recipe's; may be fewer
  std::vector<FoundStay> stays{};  ///< of rules that read another channel
};

/// The moments at which a rule begins (or ends); none where nothing is known of it.
inline const std::vector<Moment>& moments_of(const Beside& beside, int rule, bool ends) {
  static const std::vector<Moment> none;
  const auto at = static_cast<std::size_t>(rule);
  if (rule < 0 || at >= beside.rules.size()) return none;
  return ends ? beside.rules[at].ends : beside.rules[at].begins;
}

}  // namespace kuvio
