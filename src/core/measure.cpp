// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/measure.h"

#include "core/compensated_sum.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace kuvio {
namespace {

/// Collects the pieces of one span.
class Collector {
public:
  Collector(const Trace& trace, SpanFigures& out) : trace_(trace), out_(out) {}

  void block(const Block& block, long double from, long double to) {
    const long double a = std::max<long double>(from, block.start);
    const long double b = std::min<long double>(to, block.end);
    if (a > b || (a == b && block.start != block.end)) return;
    const double tick_s = trace_.time_base().tick_s();
    observed_ += static_cast<double>(b - a) * tick_s;
    const std::int64_t first = cell_at(trace_, block, a);
    std::int64_t last = cell_at(trace_, block, b);
    // An averaged sample whose interval only begins where the span ends lies outside it.
    if (trace_.kind() == SampleKind::averaged && last > first && start_of(block, last) >= b) --last;
    std::int64_t from_cell = first;
    if (start_of(block, first) < a || first == last) {
      partial(block, first, a, std::min<long double>(b, end_of(block, first)));
      from_cell = first + 1;
    }
    if (last >= from_cell) {
      if (last > from_cell) whole(block, from_cell, last);
      partial(block, last, static_cast<long double>(start_of(block, last)), b);
    }
  }

  void finish() {
    out_.observed_s = observed_.value();
    out_.charge = charge_.value();
    out_.square = square_.value();
    if (out_.samples == 0 && edge_lo_) {
      out_.min = edge_lo_;
      out_.max = edge_hi_;
    }
  }

private:
  std::int64_t start_of(const Block& block, std::int64_t cell) const {
    return tick_of(trace_, block, cell);
  }
  std::int64_t end_of(const Block& block, std::int64_t cell) const {
    return tick_of(trace_, block, cell + 1);
  }
  double seconds_per(const Block& block) const {
    return trace_.time_base().tick_s() * static_cast<double>(block.period > 0 ? block.period : 1);
  }
  void sample(double lo, double hi, std::int64_t n) {
    out_.min = out_.min ? std::min(*out_.min, lo) : lo;
    out_.max = out_.max ? std::max(*out_.max, hi) : hi;
    out_.samples += n;
  }
  void edge(double v) {
    edge_lo_ = edge_lo_ ? std::min(*edge_lo_, v) : v;
    edge_hi_ = edge_hi_ ? std::max(*edge_hi_, v) : v;
  }

  void whole(const Block& block, std::int64_t from, std::int64_t to) {
    const CellSum sum = trace_.sum(block, from, to);
    const double unit = seconds_per(block);
    charge_ += sum.q * unit;
    square_ += sum.r * unit;
    sample(sum.lo, sum.hi, to - from);
  }

  /// The part [a, b] of one cell.
  void partial(const Block& block, std::int64_t cell, long double a, long double b) {
    const double tick_s = trace_.time_base().tick_s();
    double v[2] = {0, 0};
    const bool has_next = cell + 1 < block.count;
    trace_.read(block, cell, std::span<double>(v, has_next ? 2 : 1));
    const long double start = start_of(block, cell);
    if (trace_.kind() == SampleKind::averaged) {
      const double d = static_cast<double>(b - a) * tick_s;
      charge_ += v[0] * d;
      square_ += v[0] * v[0] * d;
      sample(v[0], v[0], 1);
      return;
    }
    if (a <= start) sample(v[0], v[0], 1);
    if (!has_next) return;
    const long double end = end_of(block, cell);
    const double width = static_cast<double>(end - start);
    const double slope = (v[1] - v[0]) / width;
    const double va = v[0] + slope * static_cast<double>(a - start);
    const double vb = b >= end ? v[1] : v[0] + slope * static_cast<double>(b - start);
    const double d = static_cast<double>(b - a) * tick_s;
    charge_ += (va + vb) / 2 * d;
    square_ += (va * va + va * vb + vb * vb) / 3 * d;
    edge(va);
    edge(vb);
  }

  const Trace& trace_;
  SpanFigures& out_;
  Sum observed_, charge_, square_;
  std::optional<double> edge_lo_, edge_hi_;
};

void count_flags(const Trace& trace, SpanFigures& out) {
  for (const FlagRun& run : trace.flags()) {
    const double from = std::max(run.from_s, out.from_s), to = std::min(run.to_s, out.to_s);
    const double length = run.to_s - run.from_s;
    if (from > to || (length > 0 && from >= to)) continue;
    const double share = length > 0 ? (to - from) / length : 1;
    const auto n =
        std::max<std::int64_t>(1, std::llround(share * static_cast<double>(run.samples)));
    switch (run.flag) {
      case Flag::over_range:
        out.over_range += n;
        break;
      case Flag::below_range:
        out.below_range += n;
        break;
      case Flag::not_a_number:
        out.not_a_number += n;
        break;
      case Flag::dropped:
        out.dropped += n;
        break;
      case Flag::range_change:
        out.range_change += n;
        break;
    }
  }
}

}  // namespace

std::optional<double> SpanFigures::mean() const {
  if (observed_s > 0) return charge / observed_s;
  return std::nullopt;
}

std::optional<double> SpanFigures::rms() const {
  if (observed_s > 0) return std::sqrt(std::max(0.0, square / observed_s));
  return std::nullopt;
}

std::int64_t cell_at(const Trace& trace, const Block& block, long double tick) {
  if (block.period > 0) {
    const auto cell = static_cast<std::int64_t>(std::floor(
        (tick - static_cast<long double>(block.start)) / static_cast<long double>(block.period)));
    return std::clamp<std::int64_t>(cell, 0, block.count - 1);
  }
  // Last sample whose time is <= tick. First among whole chunks, whose first moments a book has at
  // hand, then inside one.
  constexpr std::int64_t kChunk = 65536;
  std::int64_t lo = 0, hi = block.count - 1;
  while (lo < hi) {
    std::int64_t middle = lo + (hi - lo + 1) / 2;
    if (lo / kChunk != hi / kChunk)
      middle = (lo / kChunk + (hi / kChunk - lo / kChunk + 1) / 2) * kChunk;
    if (static_cast<long double>(tick_of(trace, block, middle)) <= tick) {
      lo = middle;
    } else {
      hi = middle - 1;
    }
  }
  return lo;
}

SpanFigures measure(const Trace& trace, double from_s, double to_s) {
  SpanFigures out;
  out.from_s = from_s;
  out.to_s = to_s;
  const auto blocks = trace.blocks();
  const TimeBase base = trace.time_base();
  const long double from = base.ticks(from_s), to = base.ticks(to_s);
  Collector collector(trace, out);
  auto block = std::partition_point(blocks.begin(), blocks.end(), [&](const Block& b) {
    return static_cast<long double>(b.end) < from;
  });
  for (; block != blocks.end() && static_cast<long double>(block->start) <= to; ++block) {
    collector.block(*block, from, to);
  }
  collector.finish();
  out.missing_s = std::max(0.0, out.duration_s() - out.observed_s);
  if (out.missing_s < 1e-12 * out.duration_s()) out.missing_s = 0;
  count_flags(trace, out);
  return out;
}

SpanFigures measure(const Trace& trace) { return measure(trace, trace.from_s(), trace.to_s()); }

const Block* block_at(const Trace& trace, double t_s) {
  const long double tick = trace.time_base().ticks(t_s);
  const auto blocks = trace.blocks();
  auto block = std::partition_point(blocks.begin(), blocks.end(), [&](const Block& b) {
    return static_cast<long double>(b.end) < tick;
  });
  // Where one block ends and the next begins at the same moment, it is the next one's.
  const auto next = block == blocks.end() ? block : block + 1;
  if (next != blocks.end() && static_cast<long double>(next->start) <= tick) block = next;
  if (block == blocks.end() || static_cast<long double>(block->start) > tick) return nullptr;
  return &*block;
}

std::optional<double> value_at(const Trace& trace, double t_s) {
  const long double tick = trace.time_base().ticks(t_s);
  const Block* block = block_at(trace, t_s);
  if (!block) return std::nullopt;
  const std::int64_t at = cell_at(trace, *block, tick);
  const bool line = trace.kind() == SampleKind::instant && at + 1 < block->count;
  std::array<double, 2> v{};
  trace.read(*block, at, std::span(v).first(line ? 2 : 1));
  if (!line) return v[0];
  const auto a = static_cast<long double>(tick_of(trace, *block, at)),
             b = static_cast<long double>(tick_of(trace, *block, at + 1));
  return v[0] + (v[1] - v[0]) * static_cast<double>((tick - a) / (b - a));
}

}  // namespace kuvio
