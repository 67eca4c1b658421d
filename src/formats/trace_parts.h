// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <vector>

namespace kuvio::formats {

/// The samples of one block that lie in a span.
struct TracePart {
  const Block* block = nullptr;
  std::int64_t at = 0, count = 0;  ///< from the block's first sample
};

/// The samples that stand in [from_s, to_s], block by block.
std::vector<TracePart> parts_within(const Trace& trace, double from_s, double to_s);

/// Calls `take(part, at, n)` for pieces of at most `most` samples; false from it ends it, and is
/// given back.
template <typename Take>
bool in_pieces(const std::vector<TracePart>& parts, std::int64_t most, const Take& take) {
  for (const TracePart& part : parts) {
    for (std::int64_t done = 0; done < part.count;) {
      const std::int64_t n = part.count - done < most ? part.count - done : most;
      if (!take(part, part.at + done, n)) return false;
      done += n;
    }
  }
  return true;
}

}  // namespace kuvio::formats
