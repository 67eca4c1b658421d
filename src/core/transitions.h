// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/visit.h"

#include <cstddef>
#include <string>
#include <vector>

namespace kuvio {

/// A state that was left for another one.
struct Transition {
  std::string from, to;
  std::size_t count = 0;
  double share = 0;  ///< of all exits of `from`
  /// Lengths of the stays that it ended and that nothing cut at their beginning (s): median,
  /// shortest, longest. All zero where each of them was cut.
  double median_s = 0, shortest_s = 0, longest_s = 0;
  double first_s = 0;  ///< when it happened first, in its capture
  /// The visits that it entered in the first of the captures given, by their places.
  std::vector<std::size_t> entered;
};

/// What followed what in one or several captures.
struct Transitions {
  std::vector<Transition> all;  ///< by `from` in order of its first exit, then by falling count

  std::size_t exits(const std::string& from) const;
  const Transition* find(const std::string& from, const std::string& to) const;
};

/// Counts what followed what. What was not seen is not counted: nothing leads into a gap or out of
/// it, and switching the output off is no doing of the device (what it did when it was switched on
/// is: Off is left, never entered). A stay that goes on through a stretch out of range is one. A
/// sliver that no rule claims and that holds no sample wholly is looked through.
Transitions transitions_of(const std::vector<const Visits*>& captures);

/// What a difference between two builds' ways amounts to.
enum class Way {
  alike,   ///< nothing is shown
  fresh,   ///< never seen in the reference, whose exits were enough to have shown it
  gone,    ///< the reference had it, and the exits here were enough to have shown it
  more,    ///< a larger share of the exits
  less,    ///< a smaller one
  unsure,  ///< on one side alone, but there it was too seldom left to tell
};
std::string_view to_string(Way way);

/// One transition beside the reference's.
struct WayDifference {
  std::string from, to;
  std::size_t count = 0, exits = 0;  ///< here
  std::size_t reference_count = 0, reference_exits = 0;
  double p = 1;  ///< Fisher's exact test, two-sided, not corrected
  Way way = Way::alike;
  double first_s = 0;  ///< when it happened first, here

  double share() const { return exits > 0 ? double(count) / double(exits) : 0; }
  double reference_share() const {
    return reference_exits > 0 ? double(reference_count) / double(reference_exits) : 0;
  }
};

struct WayComparison {
  /// Every pair that either side has: what differs first, by how sure it is.
  std::vector<WayDifference> pairs;
  std::vector<std::string> new_states;   ///< left or entered here, never in the reference
  std::vector<std::string> lost_states;  ///< the other way round
};

/// Holds the ways of a build against the reference's. Shares of exits are compared by Fisher's
/// exact test (Fisher 1935; two-sided by the sum of all tables that are no likelier); of all pairs
/// together no more than one run in twenty shows a difference where there is none (Holm 1979).
WayComparison compare_ways(const Transitions& here, const Transitions& reference);

/// Fisher's exact test of two counts out of two totals: how likely shares at least as far apart are
/// where both are the same (two-sided). 1 where a total is zero. Requires a <= m and b <= n.
double fisher_exact(std::size_t a, std::size_t m, std::size_t b, std::size_t n);

}  // namespace kuvio
