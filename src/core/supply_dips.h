// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <vector>

namespace kuvio {

/// When a voltage counts as dipped, as parts of what it usually is. A dip begins below `below` and
/// ends at `back` or more; the two differ so that noise makes one dip of one (IEC 61000-4-30, 5.4:
/// 90 % and a hysteresis of 2 %). What stays under `nothing` is no voltage at all.
struct DipRule {
  double usual = 0;  ///< V, more than nothing
  double below = 0.90, back = 0.92, nothing = 0.10;
};

/// A stretch in which a voltage was lower than it should be.
struct SupplyDip {
  double from_s = 0, to_s = 0;
  double lowest = 0;     ///< V: the residual voltage
  bool recovers = true;  ///< seen to come back: not at a gap, nor where the trace ends
  bool begins = true;    ///< seen to fall: not at a gap, nor where the trace begins

  double length_s() const { return to_s - from_s; }
};

/// What a voltage usually is (V): the median over time of what lies above a tenth of its highest. 0
/// where it is never above nothing.
double usual_voltage(const Trace& voltage);

/// The dips of a voltage, in order of time, to a sample. Reads samples only near them.
std::vector<SupplyDip> supply_dips(const Trace& voltage, const DipRule& rule);

}  // namespace kuvio
