// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit.h"

namespace kuvio {

bool is_built_in_state(const std::string& name) {
  return name == kOff || name == kUnassigned || name == kMissing;
}

bool is_whole(const Visits& visits, std::size_t at) {
  if (at == 0 || at + 1 >= visits.size()) return false;
  const std::string &before = visits[at - 1].state, &after = visits[at + 1].state;
  return before != kMissing && after != kMissing && after != kOff;
}

}  // namespace kuvio
