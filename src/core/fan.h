// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/ledger.h"

#include <vector>

namespace kuvio {

/// One visit in the fan: where it lies in time and where in charge, both as shares (0 … 1) of what
/// is shown.
struct FanBand {
  std::size_t visit = 0;  ///< index in the visits given
  double time_from = 0, time_to = 0;
  double charge_from = 0, charge_to = 0;
};

struct Fan {
  std::vector<FanBand> bands;
  double charge = 0;  ///< of what is shown (C), counting only what flows out of the supply
};

/// Lays the visits that [from_s, to_s] shows out by time and by charge. A visit that is cut by the
/// view counts with the part that is shown; one with charge flowing back has no width in charge.
/// Requires from_s < to_s.
Fan make_fan(const Trace& trace, const std::vector<VisitFigures>& visits, double from_s,
             double to_s);

/// Index of the visit that holds t, or visits.size().
std::size_t visit_at(const std::vector<VisitFigures>& visits, double t);
/// The visit that a line of the device's log at a moment speaks of: where that moment lies in the
/// cell of an edge, the one that begins there.
std::size_t visit_spoken_of(const std::vector<VisitFigures>& visits, double t);

}  // namespace kuvio
