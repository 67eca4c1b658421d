// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"

#include <optional>
#include <vector>

namespace kuvio {

/// The running integral of a trace (unit x s: the charge of a current), for a picture: about
/// `columns` points over [from_s, to_s], each exactly on the curve; counted from `since_s`.
///
/// Where many samples share a column, points stand where the sums of whole strides end: a tenth of
/// a column or less beside its edge. Over a gap the integral stands still, and the point after it
/// has `gap_before`. Requires from_s < to_s and columns > 0; cost O(columns), no samples are read
/// but at the ends where columns are wide.
std::vector<TracePoint> running_integral(const Trace& trace, double since_s, double from_s,
                                         double to_s, int columns);

/// Mean over [from_s, to_s], or over a stretch whose ends each lie beside those by `share` of its
/// length at most, where that needs no samples to be read. Nothing when it holds none.
std::optional<double> mean_about(const Trace& trace, double from_s, double to_s, double share);

/// The mean over a window of `window_s` around each moment, for a picture: about two points a
/// column, each exact for a window that is longer or shorter by 1/32 at most. Nothing stands where
/// the window holds no sample. Requires from_s < to_s, columns > 0 and window_s > 0.
std::vector<TracePoint> rolling_mean(const Trace& trace, double window_s, double from_s,
                                     double to_s, int columns);

}  // namespace kuvio
