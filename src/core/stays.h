// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recipe.h"
#include "core/trace.h"

#include <cstdint>
#include <functional>
#include <vector>

namespace kuvio {

// The steps by which a recipe splits one block of a trace, on whole samples; core/state_split.h
// puts them together and finds the edges between.

inline constexpr int kNoRule = -1;  ///< Unassigned

/// Samples [from, to) of a block in one state (index of its rule, or kNoRule).
struct Stay {
  int state = kNoRule;
  std::int64_t from = 0, to = 0;

  std::int64_t samples() const { return to - from; }
};

/// A state holds until the level passes its release; then the first rule whose band holds takes
/// over, else Unassigned. Strides that lie inside the holding band as a whole are not read.
std::vector<Stay> stays_by_level(const Trace& trace, const Block& block, const Recipe& recipe);

/// Stays of one state no further apart than its join_gaps become one, with all that lies between.
std::vector<Stay> join_stays(const Trace& trace, const Block& block, const Recipe& recipe,
                             std::vector<Stay> stays);

/// Stays below their state's shortest go to the neighbour whose mean is nearer on the scale
/// asinh(x / noise), the shortest first; one that has grown long enough meanwhile stays, and so do
/// the first and the last, which an end or a gap cuts: nobody knows how long they were. The noise
/// is asked for where there is one to absorb.
std::vector<Stay> absorb_short_stays(const Trace& trace, const Block& block, const Recipe& recipe,
                                     std::vector<Stay> stays, const std::function<double()>& noise);

/// Takes out stays that are nothing but a change from one level to the next: at most five samples
/// between two neighbours, rising or falling throughout between their levels, and not as long as a
/// `shortest` of their own. Their samples lie between the neighbours then, in no stay.
std::vector<Stay> drop_transitions(const Trace& trace, const Block& block, const Recipe& recipe,
                                   std::vector<Stay> stays);

}  // namespace kuvio
