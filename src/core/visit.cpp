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

void agree_on_cells(Visits& visits) {
  if (visits.empty()) return;
  visits.front().begins = visits.back().ends = {};
  for (std::size_t i = 1; i < visits.size(); ++i) {
    Visit &left = visits[i - 1], &right = visits[i];
    if (left.ends != right.begins || left.to_s != right.from_s) left.ends = right.begins = {};
  }
}

}  // namespace kuvio
