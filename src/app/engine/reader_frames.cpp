// SPDX-License-Identifier: GPL-3.0-or-later
// Frames: what the lanes need to paint a view.

#include "app/engine/reader.h"
#include "app/engine/trace_views.h"
#include "core/measure.h"
#include "core/running_integral.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace kuvio::app {
namespace {

using Clock = std::chrono::steady_clock;

/// Makes approximate columns of a grid exact while there is patience.
void tighten(const Trace& trace, double width, std::int64_t first, const WaitClock& patience,
             std::vector<EnvelopeColumn>& columns) {
  for (std::size_t i = 0; i < columns.size(); ++i) {
    if (!columns[i].approximate) continue;
    if (patience && !patience()) return;
    std::size_t end = i + 1;
    while (end < columns.size() && columns[end].approximate && end - i < 64) ++end;
    const double at = static_cast<double>(first + static_cast<std::int64_t>(i)) * width;
    const auto n = static_cast<int>(end - i);
    const auto made = envelope(trace, at, at + n * width, n, patience);
    for (std::size_t k = 0; k < made.size(); ++k) {
      // A second look that was cut short may know less than the first.
      if (!made[k].approximate) columns[i + k] = made[k];
    }
    i = end - 1;
  }
}

/// Flags and gaps inside [from_s, to_s] of the trace's own time; those nearer to each other than
/// `grain` become one.
void mark_breaks(const Trace& trace, double from_s, double to_s, double grain, double offset_s,
                 Curve& out) {
  for (FlagRun run : trace.flags()) {
    if (run.to_s < from_s || run.from_s > to_s) continue;
    run.from_s += offset_s;
    run.to_s += offset_s;
    const bool joins = !out.flags.empty() && out.flags.back().flag == run.flag &&
                       run.from_s - out.flags.back().to_s < grain;
    if (joins) {
      out.flags.back().to_s = std::max(out.flags.back().to_s, run.to_s);
      out.flags.back().samples += run.samples;
    } else {
      out.flags.push_back(run);
    }
  }
  const auto blocks = trace.blocks();
  const TimeBase base = trace.time_base();
  auto block = std::partition_point(blocks.begin(), blocks.end(), [&](const Block& b) {
    return static_cast<long double>(b.end) < base.ticks(from_s);
  });
  for (; block != blocks.end(); ++block) {
    if (block == blocks.begin()) continue;
    const double a = base.seconds((block - 1)->end) + offset_s,
                 b = base.seconds(block->start) + offset_s;
    if (a - offset_s > to_s) break;
    if (!(b > a)) continue;
    if (!out.gaps.empty() && a - out.gaps.back().second < grain) {
      out.gaps.back().second = b;
    } else {
      out.gaps.emplace_back(a, b);
    }
  }
}

}  // namespace

void Reader::fill_columns(const Trace& trace, double width, std::int64_t first, std::int64_t count,
                          const WaitClock& patience, Columns& cache) {
  const auto make = [&](std::int64_t from, std::int64_t n) {
    const double at = static_cast<double>(from) * width;
    return envelope(trace, at, at + static_cast<double>(n) * width, static_cast<int>(n), patience);
  };
  const std::int64_t had = static_cast<std::int64_t>(cache.columns.size());
  const std::int64_t a = std::max(first, cache.first),
                     b = std::min(first + count, cache.first + had);
  const bool same = std::fabs(cache.width - width) * static_cast<double>(count) < 1e-6 * width;
  if (!same || b - a < count / 4) {
    cache = {width, first, make(first, count)};
    return;
  }
  std::vector<EnvelopeColumn> out;
  out.reserve(static_cast<std::size_t>(count));
  if (a > first) out = make(first, a - first);
  out.insert(out.end(), cache.columns.begin() + (a - cache.first),
             cache.columns.begin() + (b - cache.first));
  if (first + count > b) {
    const auto more = make(b, first + count - b);
    out.insert(out.end(), more.begin(), more.end());
  }
  cache.first = first;
  cache.columns = std::move(out);
  tighten(trace, width, first, patience, cache.columns);
}

Curve Reader::curve(const CurveSource& source, const Trace& trace, const FrameRequest& request,
                    double offset_s, const WaitClock& patience) {
  Curve out;
  out.source = source;
  out.averaged = trace.kind() == SampleKind::averaged && source.form == CurveForm::samples;
  const double from = request.from_s - offset_s, to = request.to_s - offset_s;
  const double pixel = (to - from) / request.columns;
  mark_breaks(trace, from, to, pixel / 2, offset_s, out);
  if (source.form == CurveForm::charge) {
    out.points = running_integral(trace, trace.from_s(), from, to, request.columns);
  } else if (source.form == CurveForm::mean) {
    out.points = rolling_mean(trace, source.window_s, from, to, request.columns);
  } else if (count_samples(trace, from, to) <= std::int64_t{2} * request.columns) {
    out.points = points(trace, from, to);
  } else {
    Columns& cache = columns_[{open_[source.capture].view->info.id, source.channel}];
    double width = pixel;
    // A pan keeps the width but for rounding: the grid stays the same one.
    if (std::fabs(cache.width - width) * request.columns < 1e-6 * width) width = cache.width;
    const auto first = static_cast<std::int64_t>(std::floor(from / width));
    fill_columns(trace, width, first, request.columns + 1, patience, cache);
    out.columns = cache.columns;
    out.from_s = static_cast<double>(first) * width + offset_s;
    out.to_s = static_cast<double>(first + request.columns + 1) * width + offset_s;
  }
  for (TracePoint& p : out.points) p.time_s += offset_s;
  return out;
}

FramePtr Reader::frame(const FrameRequest& request, double patience_s) {
  if (open_.empty() || !(request.to_s > request.from_s) || request.columns <= 0) return nullptr;
  const auto until = Clock::now() + std::chrono::duration<double>(patience_s);
  const WaitClock patience = [&] { return Clock::now() < until; };
  auto out = std::make_shared<Frame>();
  out->from_s = request.from_s;
  out->to_s = request.to_s;
  out->revision = request.revision;
  for (const auto& sources : request.lanes) {
    LaneFrame lane;
    for (const CurveSource& source : sources) {
      if (source.capture >= open_.size()) continue;
      const Open& open = open_[source.capture];
      const auto it = open.traces.find(source.channel);
      if (it == open.traces.end()) continue;
      const double offset = source.capture < request.offsets.size()
                                ? request.offsets[source.capture]
                                : open.view->offset_s;
      lane.curves.push_back(curve(source, *it->second, request, offset, patience));
      const auto& columns = lane.curves.back().columns;
      out->approximate =
          out->approximate || std::any_of(columns.begin(), columns.end(),
                                          [](const EnvelopeColumn& c) { return c.approximate; });
    }
    out->lanes.push_back(std::move(lane));
  }
  const Open& first = open_.front();
  if (first.current && !first.view->visits.empty())
    out->fan = make_fan(*first.current, first.view->visits, request.from_s, request.to_s);
  return out;
}

}  // namespace kuvio::app
