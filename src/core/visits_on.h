// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"
#include "core/visit.h"

namespace kuvio {

/// The visits of one channel laid over another one of the same capture, so that the other's ledger
/// closes: from its first to its last moment, Unassigned where the visits say nothing (beyond them,
/// and in gaps that only the first has), Missing in its own gaps. Edges are moments without a cell:
/// where they lie inside a sample of the other, that sample's own model shares its charge. A visit
/// that a gap, or an end, of the other cuts is not whole.
Visits visits_on(const Trace& other, const Visits& visits);

}  // namespace kuvio
