// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <functional>
#include <vector>

namespace kuvio {

/// Stretches of values, one after the other.
struct Bins {
  std::vector<double> edges;  ///< rising, one more than there are bins, in the channel's unit

  int count() const { return static_cast<int>(edges.size()) - 1; }
  /// The bin that holds a value; -1 below the first, count() above the last.
  int of(double value) const;
};

/// How the time of a span is spread over values.
struct Distribution {
  Bins bins;
  std::vector<double> time_s;       ///< of each bin
  double below_s = 0, above_s = 0;  ///< outside the bins
  double observed_s = 0;            ///< all of it
  double charge_below = 0, charge_above = 0;
  std::vector<double> charge;  ///< of each bin, unit x s
  bool whole = true;           ///< false: from evenly spread pieces of the span, scaled up

  /// Least value that is not exceeded for `share` of the time, to within a bin.
  double quantile(double share) const;
};

/// Bins so fine that quantiles are good to some thousandths of the value: 256 a decade from a
/// picoampere to a kiloampere on either side of zero. The same whatever is looked at.
const Bins& fine_bins();
/// Edges of both.
Bins both(const Bins& a, const Bins& b);
/// A distribution over coarser bins, whose edges are all among its own.
Distribution gathered(const Distribution& fine, const Bins& bins);

/// Time over values, each sample weighed with the time it stands for (an averaged sample its
/// interval, an instant half of what lies to its neighbours), cut at the span's edges.
///
/// Whole nodes of the pyramid that lie in one bin are taken as they are. More than `at_most`
/// samples to be read: evenly spread pieces are read instead and scaled up. `going_on` is asked now
/// and then; false ends it, with what was found by then. Requires from_s < to_s.
Distribution distribution(const Trace& trace, double from_s, double to_s, const Bins& bins,
                          std::int64_t at_most, const std::function<bool()>& going_on = {});

}  // namespace kuvio
