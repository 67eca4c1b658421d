// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/running_integral.h"

#include "core/compensated_sum.h"
#include "core/measure.h"
#include "core/node_sizes.h"

#include <algorithm>
#include <cmath>

namespace kuvio {
namespace {

std::int64_t grain_for(double samples, double share) {
  for (const std::int64_t node : kNodeSizes) {
    if (static_cast<double>(node) <= samples * share) return node;
  }
  return 1;
}

std::int64_t to_grain(std::int64_t at, std::int64_t grain, std::int64_t count) {
  return std::clamp<std::int64_t>((at + grain / 2) / grain * grain, 0, count);
}

/// A cell's q counts in periods, or in ticks.
double q_seconds(const Trace& trace, const Block& b) {
  return trace.time_base().tick_s() * static_cast<double>(b.period > 0 ? b.period : 1);
}

class Integrator {
public:
  Integrator(const Trace& trace, double since_s, double from_s, double to_s, int columns)
      : trace_(trace), from_(from_s), to_(to_s), columns_(columns) {
    total_ = Sum(since_s <= from_s ? measure(trace, since_s, from_s).charge
                                   : -measure(trace, from_s, since_s).charge);
  }

  std::vector<TracePoint> run() {
    const TimeBase base = trace_.time_base();
    const long double from = base.ticks(from_), to = base.ticks(to_);
    for (const Block& b : trace_.blocks()) {
      if (static_cast<long double>(b.end) < from || static_cast<long double>(b.start) > to)
        continue;
      block(b, std::max(from_, base.seconds(b.start)), std::min(to_, base.seconds(b.end)));
    }
    return std::move(out_);
  }

private:
  void point(double t, bool gap) { out_.push_back({t, total_.value(), gap}); }

  void block(const Block& b, double from, double to) {
    const TimeBase base = trace_.time_base();
    point(from, true);
    const std::int64_t first = cell_at(trace_, b, base.ticks(from)) + 1,
                       last = cell_at(trace_, b, base.ticks(to));
    const double wanted = std::max(1.0, columns_ * (to - from) / (to_ - from_));
    const double each = static_cast<double>(last - first) / wanted;
    const std::int64_t grain = grain_for(each, 0.1);
    std::int64_t at = -1;
    double t = from;
    for (int k = 0; static_cast<double>(k) <= wanted; ++k) {
      const std::int64_t i =
          to_grain(first + std::llround(std::min(k * each, static_cast<double>(last - first))),
                   grain, b.count);
      if (i < first || i > last || i <= at) continue;
      const double here = base.seconds(tick_of(trace_, b, i));
      if (at < 0) {
        total_ += measure(trace_, from, here).charge;
      } else {
        total_ += trace_.sum(b, at, i).q * q_seconds(trace_, b);
      }
      at = i;
      t = here;
      point(t, false);
    }
    if (to > t) {
      total_ += measure(trace_, t, to).charge;
      point(to, false);
    }
  }

  const Trace& trace_;
  double from_, to_;
  int columns_;
  Sum total_;
  std::vector<TracePoint> out_;
};

}  // namespace

std::vector<TracePoint> running_integral(const Trace& trace, double since_s, double from_s,
                                         double to_s, int columns) {
  return Integrator(trace, since_s, from_s, to_s, columns).run();
}

std::optional<double> mean_about(const Trace& trace, double from_s, double to_s, double share) {
  const TimeBase base = trace.time_base();
  const auto blocks = trace.blocks();
  const long double from = base.ticks(from_s), to = base.ticks(to_s);
  const auto block = std::partition_point(blocks.begin(), blocks.end(), [&](const Block& x) {
    return static_cast<long double>(x.end) < from;
  });
  const bool inside = block != blocks.end() && block->period > 0 &&
                      static_cast<long double>(block->start) <= from &&
                      static_cast<long double>(block->end) >= to;
  if (inside) {
    const std::int64_t grain = grain_for((to_s - from_s) / base.seconds(block->period), 2 * share);
    if (grain > 1) {
      const std::int64_t i = to_grain(cell_at(trace, *block, from), grain, block->count),
                         j = to_grain(cell_at(trace, *block, to), grain, block->count);
      const double cells =
          static_cast<double>(tick_of(trace, *block, j) - tick_of(trace, *block, i)) /
          static_cast<double>(block->period);
      if (cells > 0) return trace.sum(*block, i, j).q / cells;
    }
  }
  return measure(trace, from_s, to_s).mean();
}

std::vector<TracePoint> rolling_mean(const Trace& trace, double window_s, double from_s,
                                     double to_s, int columns) {
  std::vector<TracePoint> out;
  const int points = 2 * columns;
  bool gap = true;
  for (int k = 0; k <= points; ++k) {
    const double t = from_s + (to_s - from_s) * k / points;
    if (t < trace.from_s() || t > trace.to_s()) continue;
    const double a = std::max(trace.from_s(), t - window_s / 2),
                 b = std::min(trace.to_s(), t + window_s / 2);
    const auto mean = b > a ? mean_about(trace, a, b, 1.0 / 64) : std::nullopt;
    if (mean) out.push_back({t, *mean, gap});
    gap = !mean;
  }
  return out;
}

}  // namespace kuvio
