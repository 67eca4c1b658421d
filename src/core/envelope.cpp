// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/envelope.h"

#include "core/measure.h"

#include <algorithm>
#include <cmath>

namespace kuvio {
namespace {

/// Up to this many samples per column they are read in one go; beyond, each column asks the
/// pyramid.
constexpr double kDense = 256;
constexpr std::int64_t kPiece = 16384;

class ColumnFiller {
public:
  ColumnFiller(const Trace& trace, double from_s, double to_s, const WaitClock& patience,
               std::vector<EnvelopeColumn>& out)
      : trace_(trace),
        patience_(patience),
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
    if (b.period == 0) {
      uneven(b, first, last);
    } else {
      even(b, first, last);
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

  /// Samples with times of their own, one by one.
  void uneven(const Block& b, std::int64_t first, std::int64_t last) {
    const TimeBase base = trace_.time_base();
    const bool spread = trace_.kind() == SampleKind::averaged;
    std::vector<double> values;
    std::vector<std::int64_t> times;
    for (std::int64_t at = first; at <= last; at += kPiece) {
      const std::int64_t n = std::min(kPiece, last - at + 1);
      values.resize(static_cast<std::size_t>(n));
      times.resize(static_cast<std::size_t>(n));
      trace_.read(b, at, values);
      trace_.read_times(b, at, times);
      for (std::int64_t i = 0; i < n; ++i) {
        const auto k = static_cast<std::size_t>(i);
        const std::int64_t c0 = column_of(base.seconds(times[k]));
        put(c0, values[k], values[k]);
        if (!spread) continue;
        const std::int64_t next = i + 1 < n ? times[k + 1] : tick_of(trace_, b, at + i + 1);
        const double end = base.seconds(next);
        for (std::int64_t c = c0 + 1; c <= column_of(end) && left_edge(c) < end; ++c) {
          put(c, values[k], values[k]);
        }
      }
    }
  }

  /// Evenly spaced samples: each column is a range of them. Few a column are read in one go, of
  /// many the pyramid is asked.
  void even(const Block& b, std::int64_t first, std::int64_t last) {
    const TimeBase base = trace_.time_base();
    const bool spread = trace_.kind() == SampleKind::averaged;
    const bool dense =
        static_cast<double>(last - first + 1) <= kDense * static_cast<double>(out_.size());
    const std::int64_t c0 = column_of(base.seconds(tick_of(trace_, b, first)));
    const std::int64_t c1 = column_of(base.seconds(tick_of(trace_, b, last + (spread ? 1 : 0))));
    for (std::int64_t c = c0; c <= c1; ++c) {
      // First sample at or after the column's left edge; averaged: first whose interval reaches in.
      const std::int64_t i = c == c0 ? first : boundary(b, left_edge(c), spread);
      const std::int64_t j =
          c == c1 ? last + 1 : std::min(last + 1, boundary(b, left_edge(c + 1), false));
      if (i >= j) continue;
      if (dense) {
        scan(b, i, j, last + 1, c);
      } else {
        if (patience_ && effort_ == Effort::exact && !patience_()) effort_ = Effort::cached;
        const Extremes range = trace_.extremes(b, i, j, effort_);
        put(c, range.lo, range.hi);
        if (!range.exact) out_[static_cast<std::size_t>(c)].approximate = true;
      }
    }
  }

  /// Puts samples [i, j) into a column, through a buffer that runs ahead to `end`.
  void scan(const Block& b, std::int64_t i, std::int64_t j, std::int64_t end, std::int64_t column) {
    double lo = 0, hi = 0;
    bool any = false;
    while (i < j) {
      if (i < buffered_from_ || i >= buffered_to_ || buffered_block_ != b.first) {
        buffered_block_ = b.first;
        buffered_from_ = i;
        buffered_to_ = std::min(end, i + kPiece);
        buffer_.resize(static_cast<std::size_t>(buffered_to_ - i));
        trace_.read(b, i, buffer_);
      }
      const std::int64_t to = std::min(j, buffered_to_);
      const Extremes range = extremes_of(std::span(buffer_).subspan(
          static_cast<std::size_t>(i - buffered_from_), static_cast<std::size_t>(to - i)));
      lo = any ? std::min(lo, range.lo) : range.lo;
      hi = any ? std::max(hi, range.hi) : range.hi;
      any = true;
      i = to;
    }
    put(column, lo, hi);
  }
  double left_edge(std::int64_t column) const {
    return from_ + width_ * static_cast<double>(column);
  }
  std::int64_t boundary(const Block& b, double t, bool reaching) const {
    const long double position =
        (trace_.time_base().ticks(t) - b.start) / static_cast<long double>(b.period);
    const auto at =
        static_cast<std::int64_t>(reaching ? std::floor(position) : std::ceil(position));
    return std::clamp<std::int64_t>(at, 0, b.count);
  }

  const Trace& trace_;
  const WaitClock& patience_;
  Effort effort_ = Effort::exact;
  double from_, width_;
  std::vector<EnvelopeColumn>& out_;
  std::vector<double> buffer_;
  std::int64_t buffered_block_ = -1, buffered_from_ = 0, buffered_to_ = 0;
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

std::vector<EnvelopeColumn> envelope(const Trace& trace, double from_s, double to_s, int columns,
                                     const WaitClock& patience) {
  std::vector<EnvelopeColumn> out(static_cast<std::size_t>(columns));
  ColumnFiller painter(trace, from_s, to_s, patience, out);
  for (const Block& block : trace.blocks()) painter.block(block);
  mark_gaps(trace, from_s, to_s, out);
  return out;
}

namespace {

void merge(EnvelopeColumn& into, const EnvelopeColumn& c) {
  into.missing = into.missing || c.missing;
  into.approximate = into.approximate || c.approximate;
  if (!c.any) return;
  into.lo = into.any ? std::min(into.lo, c.lo) : c.lo;
  into.hi = into.any ? std::max(into.hi, c.hi) : c.hi;
  into.any = true;
}

}  // namespace

void GrowingEnvelope::grow(const Trace& trace) {
  const double from = trace.from_s(), to = trace.to_s(), length = to - from;
  const std::int64_t samples = trace.samples();
  if (!(length > 0)) return;
  const double stretched = std::fabs(trace.time_base().tick_s() / base_.tick_s() - 1) * length;
  const bool moved = std::fabs(from - from_) > width_ || stretched > width_;
  if (samples < seen_ || moved || width_ == 0) {
    fine_.clear();
    from_ = seen_to_ = from;
    width_ = length / static_cast<double>(least_);
  } else if (samples == seen_) {
    return;
  }
  base_ = trace.time_base();
  while (length > width_ * 2 * static_cast<double>(least_)) {
    for (std::size_t i = 0; i < fine_.size(); i += 2) {
      EnvelopeColumn pair = fine_[i];
      if (i + 1 < fine_.size()) merge(pair, fine_[i + 1]);
      fine_[i / 2] = pair;
    }
    fine_.resize((fine_.size() + 1) / 2);
    width_ *= 2;
  }
  // The column that held the end may have been a part of itself, and so may the one before it,
  // whose last straight line had no end yet.
  const auto whole = static_cast<std::size_t>(std::max(0.0, (seen_to_ - from_) / width_ - 1));
  fine_.resize(std::min(fine_.size(), whole));
  const double at = from_ + static_cast<double>(fine_.size()) * width_;
  const int more = static_cast<int>(std::ceil((to - at) / width_));
  if (more > 0) {
    const auto fresh = envelope(trace, at, at + more * width_, more);
    fine_.insert(fine_.end(), fresh.begin(), fresh.end());
  }
  seen_to_ = to;
  seen_ = samples;
}

std::vector<EnvelopeColumn> GrowingEnvelope::columns(double from_s, double to_s,
                                                     int columns) const {
  std::vector<EnvelopeColumn> out(static_cast<std::size_t>(columns));
  const double width = (to_s - from_s) / columns;
  const auto count = static_cast<std::ptrdiff_t>(fine_.size());
  const auto index = [&](double position) {
    return static_cast<std::ptrdiff_t>(std::clamp(position, 0.0, static_cast<double>(count)));
  };
  for (int i = 0; i < columns && count > 0; ++i) {
    const double left = (from_s + i * width - from_) / width_;
    const auto first = index(std::floor(left)), last = index(std::ceil(left + width / width_));
    for (auto k = first; k < last; ++k)
      merge(out[static_cast<std::size_t>(i)], fine_[static_cast<std::size_t>(k)]);
  }
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
