// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/visit_figures.h"

#include <map>
#include <string>
#include <vector>

namespace kuvio {

/// Charge by its direction, both at least 0 (C): what flowed where the current is positive (out of
/// the source), and where it is negative (back in). Their difference is the charge.
struct ChargeFlow {
  double out = 0, in = 0;
};

/// Of the trace's model over [from_s, to_s], partial cells at both ends included; a line between
/// two instants is parted where it crosses zero. Requires from_s <= to_s. Stretches of one sign
/// cost one `sum`; where the current changes its sign all samples are read.
ChargeFlow charge_flow(const Trace& trace, double from_s, double to_s);

/// The same for each state, over its visits. Shares of an edge's cell count as `out - in = charge`
/// of the visits' own figures has it.
std::map<std::string, ChargeFlow> charge_flow_by_state(const Trace& trace,
                                                       const std::vector<VisitFigures>& visits);

}  // namespace kuvio
