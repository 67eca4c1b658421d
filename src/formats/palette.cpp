// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/palette.h"

#include "core/visit.h"

namespace kuvio::formats {

std::map<std::string, std::size_t> assign_fills(const std::vector<std::string>& states,
                                                const std::string& longest) {
  std::map<std::string, std::size_t> out;
  std::size_t next = 0;
  if (!longest.empty()) out[longest] = next++;
  for (const std::string& state : states) {
    if (!is_built_in_state(state) && !out.count(state)) out[state] = next++ % kPaper.fills.size();
  }
  return out;
}

}  // namespace kuvio::formats
