// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <vector>

namespace kuvio {

class Trace;

/// A scale on which the noise of a trace is one at every level: the integral of its reciprocal. The
/// noise of a level is the 40th percentile of short runs' there (the larger of their neighbours'
/// differences and their deviations from their median, by medians; of fewer than a dozen a lower
/// one). A run with a change of level in it tells of the longer of its parts alone, one that goes
/// to and fro between two levels of the deviation from the nearer one. At least the trace's quiet
/// noise, half a step of its digits and a twentieth of the level. Costs some hundred thousand
/// samples.
class NoiseScale {
public:
  /// `going_on` is asked now and then: false, and it makes do with what it has seen.
  explicit NoiseScale(const Trace& trace, const std::function<bool()>& going_on = {});

  double at(double x) const;     ///< of a level in the trace's unit
  double level(double y) const;  ///< and back
  double noise(double x) const;  ///< at a level, in the trace's unit
  /// Extremes of the trace.
  double least() const { return least_; }
  double most() const { return most_; }

private:
  void gather(const Trace& trace, const std::function<bool()>& going_on);
  void build();

  double zero_ = 1, first_ = 0, least_, most_;
  std::map<double, double> bins_;  // by asinh of level: logarithm of the noise
  std::vector<double> table_;
};

}  // namespace kuvio
