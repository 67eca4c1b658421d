// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"
#include "core/visit.h"

#include <optional>
#include <span>

namespace kuvio {

/// What a stay's current comes to when it has settled (A), with its standard uncertainty by what
/// the stay shows of itself: scatter, and drift that is left. Of fewer than six samples nothing of
/// that is known.
struct SettledLevel {
  double level = 0;
  std::optional<double> u;
};

/// Of one stay: its means over up to 16 equal parts of what lies between its edges' cells, two
/// samples a part at least, as settled_of takes them. Nothing where it holds none.
std::optional<SettledLevel> settled_level(const Trace& trace, const Visit& visit);

/// Of the means of equal parts, in order of time. Where a straight line through them drifts by no
/// more than twice what their scatter explains (that of second differences, which a smooth drift
/// leaves alone), their mean, with what drift could hide. Else the level that an exponential
/// through all of them goes to, with its uncertainty from the profile of the sum of squares over
/// the time constant (Seber and Wild 1989, 5.4). Where no exponential describes them (an edge
/// within, a disturbance), parts are dropped from the end that lies further from their median until
/// nothing drifts, down to four. Requires one mean or more.
SettledLevel settled_of(std::span<const double> means);

}  // namespace kuvio
