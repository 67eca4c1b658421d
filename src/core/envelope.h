// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <functional>
#include <utility>
#include <vector>

namespace kuvio {

/// Extremes of the samples that fall into one column of a picture.
struct EnvelopeColumn {
  double lo = 0, hi = 0;
  bool any = false;      ///< false: no sample here
  bool missing = false;  ///< some of the column lies in a gap
  /// Patience ended before it was known exactly: the extremes may be those of some samples beside
  /// the column.
  bool approximate = false;
};

/// Whether there is time to fetch more; asked once a column.
using WaitClock = std::function<bool()>;

/// Extremes per column of [from_s, to_s) cut into `columns` equal columns. Exact: a single sample's
/// spike shows at every zoom. A sample belongs to the column that holds its instant (averaged: to
/// every column that its interval touches). Requires from_s < to_s and columns > 0. With `patience`
/// columns may be approximate.
std::vector<EnvelopeColumn> envelope(const Trace& trace, double from_s, double to_s, int columns,
                                     const WaitClock& patience = {});

/// The envelope of a whole trace that is still growing, kept at the cost of what is new.
class GrowingEnvelope {
public:
  /// `columns`: as many as will be asked for at most.
  explicit GrowingEnvelope(int columns) : least_(kFine * columns) {}

  /// Takes in what the trace has beyond what it had when last seen. A trace whose time has moved
  /// (another clock map) by more than a quarter of a column is taken in anew.
  void grow(const Trace& trace);

  /// Columns of [from_s, to_s). As envelope() over the whole trace, but a sample within a quarter
  /// of a column from an edge may show on both sides of it.
  std::vector<EnvelopeColumn> columns(double from_s, double to_s, int columns) const;

private:
  static constexpr int kFine = 4;
  std::size_t least_;      // once there are twice as many, pairs are made one
  double from_ = 0;        // left edge of the first
  double width_ = 0;       // of one (s)
  double seen_to_ = 0;     // end of the trace when last seen
  std::int64_t seen_ = 0;  // samples then
  TimeBase base_;          // then
  std::vector<EnvelopeColumn> fine_;
};

/// A sample with its time; `gap_before` when a block begins with it. Averaged samples are followed,
/// at the end of a block, by a point with the same value at the block's end.
struct TracePoint {
  double time_s = 0, value = 0;
  bool gap_before = false;
};

/// Number of samples in [from_s, to_s], without reading any.
std::int64_t count_samples(const Trace& trace, double from_s, double to_s);

/// The samples in [from_s, to_s] and one more on each side.
std::vector<TracePoint> points(const Trace& trace, double from_s, double to_s);

}  // namespace kuvio
