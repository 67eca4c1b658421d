// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/trace_parts.h"

#include "core/measure.h"

namespace kuvio::formats {

std::vector<TracePart> parts_within(const Trace& trace, double from_s, double to_s) {
  const TimeBase base = trace.time_base();
  std::vector<TracePart> out;
  for (const Block& b : trace.blocks()) {
    if (static_cast<long double>(b.end) < base.ticks(from_s) ||
        static_cast<long double>(b.start) > base.ticks(to_s))
      continue;
    std::int64_t at = cell_at(trace, b, base.ticks(from_s));
    if (base.seconds(tick_of(trace, b, at)) < from_s) ++at;
    const std::int64_t end = cell_at(trace, b, base.ticks(to_s)) + 1;
    if (end > at) out.push_back({&b, at, end - at});
  }
  return out;
}

}  // namespace kuvio::formats
