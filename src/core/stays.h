// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recipe.h"
#include "core/trace.h"

#include <cstdint>
#include <functional>
#include <optional>
#include <vector>

namespace kuvio {

// The steps by which a recipe splits one block of a trace, on whole samples; core/state_split.h
// puts them together and finds the edges between.

inline constexpr int kNoRule = -1;  ///< Unassigned

/// Samples [from, to) of a block in one state (index of its rule, or kNoRule).
struct Stay {
  int state = kNoRule;
  std::int64_t from = 0, to = 0;
  std::optional<double> begins_s{}, ends_s{};  ///< where an anchor puts its edges
  int begun_by = -1;                           ///< which of its rule's moments began it

  std::int64_t samples() const { return to - from; }
};

/// Samples [from, to) of a block that were found to be no visit of a rule: it is not entered there.
struct Ban {
  int state = kNoRule;
  std::int64_t from = 0, to = 0;
};

/// A state holds until the level passes its release; then the first rule whose band holds takes
/// over, else Unassigned. Strides that lie inside the holding band as a whole are not read. With a
/// smoothing window levels are those of core/smoothed.h, and each edge is put where the samples
/// cross within the window: with a maximum at the first or last of them beyond the level, else
/// where fewest lie on the wrong side. `bans` lie in order of their beginnings.
std::vector<Stay> stays_by_level(const Trace& trace, const Block& block, const Recipe& recipe,
                                 const std::vector<Ban>& bans,
                                 const std::function<double()>& noise);

/// Level at which the trace left one state for another: the edge of the band that it crossed.
double crossed_threshold(const Recipe& recipe, int left, int right, double x_left, double x_right);

/// The sample at or before which a moment lies (s), within the block.
std::int64_t sample_at(const Trace& trace, const Block& block, double at_s);

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
