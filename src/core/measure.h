// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"
#include "core/verdict.h"

#include <optional>

namespace kuvio {

/// What a span of a trace holds. Times in s, values in the channel's unit, charge in unit x s.
struct SpanFigures {
  double from_s = 0, to_s = 0;
  double observed_s = 0;     ///< time covered by samples
  double missing_s = 0;      ///< time inside the span without samples
  std::int64_t samples = 0;  ///< samples whose instant (or any of whose interval) lies inside
  double charge = 0;  ///< integral of the value over the observed time (A s = C for a current)
  double square = 0;  ///< integral of its square; a lower bound for averaged samples
  std::optional<double> min, max;  ///< over those samples
  /// Flagged samples inside.
  std::int64_t over_range = 0, below_range = 0, not_a_number = 0, dropped = 0, range_change = 0;

  double duration_s() const { return to_s - from_s; }
  /// charge / observed time; nothing when nothing was observed.
  std::optional<double> mean() const;
  std::optional<double> rms() const;
  std::int64_t flagged() const {
    return over_range + below_range + not_a_number + dropped + range_change;
  }
  /// Over-range samples inside make charge, mean and max lower bounds; samples below the range make
  /// charge, mean and min upper bounds.
  Bounds bounds() const { return {over_range > 0, below_range > 0}; }
};

/// Exact integral of the trace's model over [from_s, to_s], partial cells at both edges included.
///
/// measure(a, b) + measure(b, c) equals measure(a, c) to 1e-12 of the integral of |value|. A span
/// without a sample in it still has its charge; its extremes are then those of the model at its two
/// edges. Requires from_s <= to_s. Cost: a few reads at each edge of each block touched, and one
/// `sum` for what lies between.
SpanFigures measure(const Trace& trace, double from_s, double to_s);

/// The whole trace.
SpanFigures measure(const Trace& trace);

/// The model's value at a moment: on the straight line between two instants, or of the sample whose
/// interval holds it. Nothing in a gap or outside the trace.
std::optional<double> value_at(const Trace& trace, double t_s);

/// The block that covers a moment, or null when it lies in a gap or outside the trace. Where one
/// ends and the next begins at that moment, it is the next one.
const Block* block_at(const Trace& trace, double t_s);

/// Position of the cell of `block` that holds `tick` (clamped to [0, count - 1]).
std::int64_t cell_at(const Trace& trace, const Block& block, long double tick);

}  // namespace kuvio
