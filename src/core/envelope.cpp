// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/envelope.h"

#include "core/measure.h"

#include <algorithm>
#include <cmath>

namespace kuvio {
namespace {

/// Up to this many samples per column they are read in one go; beyond, each column asks the
/// pyramid.
constexpr double kDense = 1024;
constexpr std::int64_t kPiece = 16384;

class Painter {
public:
  Painter(const Trace& trace, double from_s, double to_s, std::vector<EnvelopeColumn>& out)
      : trace_(trace),
        from_(from_s),
        width_((to_s - from_s) / static_cast<double>(out.size())),
        out_(out) {}

  void block(const Block& b) {
    const TimeBase base = trace_.time_base();
    const double to_s = from_ + width_ * static_cast<double>(out_.size());
    const long double from = base.ticks(from_), to = base.ticks(to_s);
    if (b.end < from || b.start > to) return;
    std::int64_t first = cell_at(trace_, b, std::max<long double>(from, b.start));
    if (trace_.kind() == SampleKind::instant && tick_of(trace_, b, first) < from) ++first;
    const std::int64_t last = cell_at(trace_, b, std::min<long double>(to, b.end));
    if (last < first) return;
    const double per_column =
        static_cast<double>(last - first + 1) / static_cast<double>(out_.size());
    if (b.period == 0 || per_column <= kDense) {
      dense(b, first, last);
    } else {
      sparse(b, first, last);
    }
  }

private:
  std::int64_t column_of(double t) const {
    return std::clamp<std::int64_t>(static_cast<std::int64_t>(std::floor((t - from_) / width_)), 0,
                                    static_cast<std::int64_t>(out_.size()) - 1);
  }
  void put(std::int64_t column, double lo, double hi) {
    EnvelopeColumn& c = out_[static_cast<std::size_t>(column)];
    c.lo = c.any ? std::min(c.lo, lo) : lo;
    c.hi = c.any ? std::max(c.hi, hi) : hi;
    c.any = true;
  }

  void dense(const Block& b, std::int64_t first, std::int64_t last) {
    const TimeBase base = trace_.time_base();
    const bool spread = trace_.kind() == SampleKind::averaged;
    std::vector<double> values;
    std::vector<std::int64_t> times;
    for (std::int64_t at = first; at <= last; at += kPiece) {
      const auto n = static_cast<std::size_t>(std::min(kPiece, last - at + 1));
      values.resize(n);
      trace_.read(b, at, values);
      if (b.period == 0) {
        times.resize(n);
        trace_.read_times(b, at, times);
      }
      for (std::size_t i = 0; i < n; ++i) {
        const std::int64_t tick =
            b.period > 0 ? b.start + (at + static_cast<std::int64_t>(i)) * b.period : times[i];
        const double t = base.seconds(tick);
        if (!spread) {
          put(column_of(t), values[i], values[i]);
          continue;
        }
        const std::int64_t next = b.period > 0 ? tick + b.period
                                  : i + 1 < n
                                      ? times[i + 1]
                                      : tick_of(trace_, b, at + static_cast<std::int64_t>(i) + 1);
        const double end = base.seconds(next);
        const std::int64_t c1 = column_of(end), c0 = column_of(t);
        for (std::int64_t c = c0; c <= c1; ++c) {
          if (c == c0 || from_ + width_ * static_cast<double>(c) < end)
            put(c, values[i], values[i]);
        }
      }
    }
  }

  /// Evenly spaced samples, many per column.
  void sparse(const Block& b, std::int64_t first, std::int64_t last) {
    const TimeBase base = trace_.time_base();
    const bool spread = trace_.kind() == SampleKind::averaged;
    const std::int64_t c0 = column_of(base.seconds(tick_of(trace_, b, first)));
    const std::int64_t c1 = column_of(base.seconds(tick_of(trace_, b, last)));
    for (std::int64_t c = c0; c <= c1; ++c) {
      // First sample at or after the column's left edge; averaged: first whose interval reaches
      // into it.
      const std::int64_t i =
          c == c0 ? first : boundary(b, from_ + width_ * static_cast<double>(c), spread);
      std::int64_t j =
          c == c1 ? last + 1 : boundary(b, from_ + width_ * static_cast<double>(c + 1), false);
      j = std::min(j, last + 1);
      if (i >= j) continue;
      const auto [lo, hi] = trace_.extremes(b, i, j);
      put(c, lo, hi);
    }
  }
  std::int64_t boundary(const Block& b, double t, bool reaching) const {
    const long double position =
        (trace_.time_base().ticks(t) - b.start) / static_cast<long double>(b.period);
    const auto at =
        static_cast<std::int64_t>(reaching ? std::floor(position) : std::ceil(position));
    return std::clamp<std::int64_t>(at, 0, b.count);
  }

  const Trace& trace_;
  double from_, width_;
  std::vector<EnvelopeColumn>& out_;
};

void mark_gaps(const Trace& trace, double from_s, double to_s, std::vector<EnvelopeColumn>& out) {
  const double width = (to_s - from_s) / static_cast<double>(out.size());
  const auto mark = [&](double a, double b) {
    a = std::max(a, from_s);
    b = std::min(b, to_s);
    if (a >= b) return;
    const auto first = static_cast<std::size_t>((a - from_s) / width);
    for (std::size_t c = first; c < out.size() && from_s + width * static_cast<double>(c) < b; ++c)
      out[c].missing = true;
  };
  const auto blocks = trace.blocks();
  for (std::size_t i = 1; i < blocks.size(); ++i) {
    const double a = trace.time_base().seconds(blocks[i - 1].end),
                 b = trace.time_base().seconds(blocks[i].start);
    if (b > a) mark(a, b);
  }
}

}  // namespace

std::vector<EnvelopeColumn> envelope(const Trace& trace, double from_s, double to_s, int columns) {
  std::vector<EnvelopeColumn> out(static_cast<std::size_t>(columns));
  Painter painter(trace, from_s, to_s, out);
  for (const Block& block : trace.blocks()) painter.block(block);
  mark_gaps(trace, from_s, to_s, out);
  return out;
}

std::int64_t count_samples(const Trace& trace, double from_s, double to_s) {
  const long double from = trace.time_base().ticks(from_s), to = trace.time_base().ticks(to_s);
  std::int64_t n = 0;
  for (const Block& b : trace.blocks()) {
    if (b.end < from || b.start > to) continue;
    n += cell_at(trace, b, std::min<long double>(to, b.end)) -
         cell_at(trace, b, std::max<long double>(from, b.start)) + 1;
  }
  return n;
}

std::vector<TracePoint> points(const Trace& trace, double from_s, double to_s) {
  const TimeBase base = trace.time_base();
  const long double from = base.ticks(from_s), to = base.ticks(to_s);
  std::vector<TracePoint> out;
  for (const Block& b : trace.blocks()) {
    if (b.end < from || b.start > to) continue;
    const std::int64_t first = cell_at(trace, b, std::max<long double>(from, b.start));
    const std::int64_t last =
        std::min(b.count - 1, cell_at(trace, b, std::min<long double>(to, b.end)) + 1);
    std::vector<double> values(static_cast<std::size_t>(last - first + 1));
    trace.read(b, first, values);
    for (std::int64_t i = first; i <= last; ++i) {
      out.push_back({base.seconds(tick_of(trace, b, i)),
                     values[static_cast<std::size_t>(i - first)], i == first});
    }
    if (trace.kind() == SampleKind::averaged && last == b.count - 1) {
      out.push_back({base.seconds(b.end), values.back(), false});
    }
  }
  return out;
}

}  // namespace kuvio
