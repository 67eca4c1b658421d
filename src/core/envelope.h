// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <utility>
#include <vector>

namespace kuvio {

/// Extremes of the samples that fall into one column of a picture.
struct EnvelopeColumn {
  double lo = 0, hi = 0;
  bool any = false;      ///< false: no sample here
  bool missing = false;  ///< some of the column lies in a gap
};

/// Extremes per column of [from_s, to_s) cut into `columns` equal columns. Exact: a single sample's
/// spike shows at every zoom. A sample belongs to the column that holds its instant (averaged: to
/// every column that its interval touches). Requires from_s < to_s and columns > 0.
std::vector<EnvelopeColumn> envelope(const Trace& trace, double from_s, double to_s, int columns);

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
