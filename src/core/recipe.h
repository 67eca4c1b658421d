// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/visit.h"

#include <limits>
#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// A band of levels in the channel's unit: entered while low <= x < high, left only when x passes
/// outside [release_low, release_high].
struct Band {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
  double release_low = -std::numeric_limits<double>::infinity();
  double release_high = std::numeric_limits<double>::infinity();

  bool enters(double x) const { return x >= low && x < high; }
  bool holds(double x) const { return x >= release_low && x <= release_high; }
};

/// A moment at which a state begins or ends, where no level shows it.
struct Anchor {
  enum class By {
    log,    ///< a line of the device's log that holds a regular expression
    logic,  ///< an edge of a logic line
    mark,   ///< an operator's mark whose text holds a regular expression
  };
  By by = By::log;
  std::string of;     ///< the expression (RE2's syntax), or the logic line's name
  bool rises = true;  ///< of a logic line: which of its edges
  double offset_s = 0;

  bool operator==(const Anchor&) const = default;
};

/// What a visit must contain, in the channel's unit and in s; what is not said is not asked for.
struct Must {
  std::optional<double> peak_above, mean_above, mean_below, longer_s, shorter_s;

  bool any() const { return peak_above || mean_above || mean_below || longer_s || shorter_s; }
  bool operator==(const Must&) const = default;
};

/// One rule: how a state is known by the level of the recipe's channel, by what happens beside it,
/// or by both.
///
/// With a level, `begins` and `ends` say where a visit that the level shows has its edges: at the
/// nearest such moment since the visit before; without one there is no such visit. Without a level
/// a visit lasts from `begins` to `ends`, or to the next `begins`, whatever the level is. In the
/// name of such a rule "{group}" stands for what the log's expression met there.
struct StateRule {
  std::string name;
  Band level;
  double shortest_s = 0;   ///< shorter stays are absorbed by the neighbour whose level is nearer
  double join_gaps_s = 0;  ///< two stays no further apart than this are one visit
  bool by_level = true;
  std::optional<Anchor> begins{}, ends{};
  Must must{};
  std::vector<std::string> after{};          ///< states one of which comes before; empty: any
  std::string channel{};                     ///< that its level is of; empty: the recipe's
  Dimension dimension = Dimension::current;  ///< of its level, as it was written
  std::optional<bool> line_high{};  ///< of a logic line: the level that it has; none: no such line

  /// Whether it reads a channel of its own.
  bool elsewhere() const { return !channel.empty(); }

  /// Whether its level alone, at the first sample, makes this state.
  bool enters(double x) const { return by_level && !elsewhere() && level.enters(x); }
};

/// What levels are decided on: a running figure over a window around each sample. Edges are then
/// put where the samples themselves cross.
struct Smoothing {
  enum class Take { max, mean, median };
  double over_s = 0;  ///< length of the window; 0: none
  Take take = Take::max;

  bool operator==(const Smoothing&) const = default;
};

/// Saved rules that split a trace into states. Rules are tried in this order.
struct Recipe {
  std::string name;
  std::string channel;  ///< name of the channel it reads; empty: the only current
  std::vector<StateRule> states;
  Smoothing smooth{};
};

}  // namespace kuvio
