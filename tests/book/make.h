// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "core/recipe.h"

#include <random>

namespace kuvio::test {

inline book::ChannelInfo current_channel(SampleKind kind = SampleKind::averaged,
                                         book::Encoding encoding = book::Encoding::f8) {
  book::ChannelInfo c;
  c.name = "I";
  c.kind = kind;
  c.encoding = encoding;
  c.time_base = {1, 1000};
  return c;
}

/// Rest below 1 mA, Busy above.
inline Recipe two_levels() {
  Recipe out;
  out.name = "two levels";
  StateRule rest, busy;
  rest.name = "Rest";
  rest.level.high = rest.level.release_high = 1e-3;
  busy.name = "Busy";
  busy.level.low = busy.level.release_low = 1e-3;
  out.states = {rest, busy};
  return out;
}

inline std::vector<double> noise(std::size_t n, unsigned seed, bool floats = false) {
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> unit(0, 1);
  std::vector<double> out(n);
  for (double& v : out) {
    v = std::pow(10, -6 + 5 * unit(random));
    if (floats) v = static_cast<double>(static_cast<float>(v));
  }
  return out;
}

/// The same samples, block for block, in memory.
inline MemoryTrace in_memory(const Trace& trace) {
  MemoryTrace out(trace.kind(), trace.time_base());
  for (const Block& b : trace.blocks()) {
    std::vector<double> values(static_cast<std::size_t>(b.count));
    trace.read(b, 0, values);
    if (b.period > 0) {
      out.append(b.start, b.period, values);
    } else {
      std::vector<std::int64_t> times(values.size());
      trace.read_times(b, 0, times);
      out.append(times, values, b.end);
    }
  }
  return out;
}

}  // namespace kuvio::test
