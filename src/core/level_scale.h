// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"

#include <vector>

namespace kuvio {

/// The scale through zero: decades away from zero on either side, straight within `quiet` of it.
/// In decades: symlog(10 q, q) is about 1, symlog(-v, q) is -symlog(v, q).
double symlog(double value, double quiet);
double from_symlog(double decades, double quiet);

/// The level a logarithmic scale should reach down to: that of the quietest columns but the few (4
/// %) under them, so that a moment with the output off does not stretch the scale over decades of
/// noise. 0 when nothing is above zero.
double quiet_level(const std::vector<EnvelopeColumn>& columns);

/// Where values of an envelope lie on an axis of decades, chosen from the envelope itself:
/// logarithmic from where it rests, or through zero where a part of the current flows back.
struct LevelScale {
  double quiet = 1e-9;  ///< the least it tells from nothing, or from zero
  bool through = false;
  double low = -9, high = 0;  ///< places of the ends, at least a decade apart

  /// What is all zero, or nothing, gets a scale through zero.
  static LevelScale of(const std::vector<EnvelopeColumn>& columns);
  /// Place of a value, in decades, kept within the ends.
  double place(double value) const;
  /// The same as a part of the way from the low end to the high one.
  double part(double value) const { return (place(value) - low) / (high - low); }
};

}  // namespace kuvio
