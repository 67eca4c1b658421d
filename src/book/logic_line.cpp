// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/logic_line.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace kuvio::book {

std::vector<LineLevel> levels_of_line(const Trace& line) {
  std::vector<LineLevel> out;
  std::vector<double> piece(65536);
  const TimeBase base = line.time_base();
  bool known = false;    // the level up to here
  double covered_s = 0;  // where that ends
  for (const Block& block : line.blocks()) {
    if (known && base.seconds(block.start) > covered_s) known = false;
    for (std::int64_t at = 0; at < block.count; at += static_cast<std::int64_t>(piece.size())) {
      const auto n = static_cast<std::size_t>(
          std::min(block.count - at, static_cast<std::int64_t>(piece.size())));
      line.read(block, at, std::span(piece).first(n));
      for (std::size_t i = 0; i < n; ++i) {
        const bool is_level = !std::isnan(piece[i]), high = piece[i] > 0.5;
        if (known && is_level && out.back().high == high) continue;
        if (!known && !is_level) continue;
        const double t = base.seconds(tick_of(line, block, at + static_cast<std::int64_t>(i)));
        if (known) {
          out.back().to_s = t;
          out.back().ends_seen = is_level;
        }
        if (is_level) out.push_back({high, t, t, known, false});
        known = is_level;
      }
    }
    covered_s =
        base.seconds(line.kind() == SampleKind::instant ? block.end + block.period : block.end);
    if (known) out.back().to_s = covered_s;
  }
  return out;
}

}  // namespace kuvio::book
