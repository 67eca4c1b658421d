// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

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

/// One rule: how a state is known by the level of the recipe's channel.
struct StateRule {
  std::string name;
  Band level;
  double shortest_s = 0;   ///< shorter stays are absorbed by the neighbour whose level is nearer
  double join_gaps_s = 0;  ///< two stays no further apart than this are one visit
};

/// Saved rules that split a trace into states. Rules are tried in this order.
struct Recipe {
  std::string name;
  std::string channel;  ///< name of the channel it reads; empty: the only current
  std::vector<StateRule> states;
};

}  // namespace kuvio
