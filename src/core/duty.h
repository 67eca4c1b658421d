// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/ledger.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// A series of states gone through at a steady rate.
struct Round {
  double rate_hz = 0;  ///< rounds per second
  std::vector<std::string> states;
};

/// How often each state is visited in the field.
struct DutyPlan {
  std::string rest;  ///< the state that fills what no round takes
  std::vector<Round> rounds;
  std::vector<std::string> once;  ///< gone through once in a life (boot, joining)
};

/// A state's part in a mean current, and what it changes by itself.
struct Share {
  std::string state;
  double current = 0;  ///< A
};

/// Mean current of a duty plan, with its uncertainty.
struct FieldMean {
  double mean = 0;  ///< A
  Expanded mean_u;
  std::vector<Component> repeat;     ///< repeatability of each state's part (A)
  std::vector<Share> shares;         ///< add up to the mean
  double once_charge = 0;            ///< C, taken from the usable charge once
  std::vector<std::string> missing;  ///< states that the ledger holds no whole visit of: no data
  bool single_visit = false;         ///< some state rests on a single visit
  bool lower_bound = false;
};

/// I = sum(r Q) + I_rest (1 - sum(r d)), r rounds per second of charge Q and length d.
///
/// Q and d are means over whole visits. When `missing` is not empty the mean is meaningless. Throws
/// std::domain_error when the rounds take more time than there is (sum(r d) > 1).
FieldMean field_mean(const DutyPlan& plan, const Ledger& ledger);

/// Mean current of a capture as it was recorded: over the whole cycles of its longest state, or
/// over all of it when there are none. Off and missing time stay out.
FieldMean captured_mean(const Trace& trace, const std::vector<VisitFigures>& visits,
                        const Ledger& ledger);

/// What was gone through in a capture, as a duty plan: the longest state is the rest, the states
/// between two rests are a round as often as they came in this order, and a state met only once and
/// before every other is gone through once. A first plan to start from, not the field. Rest is
/// empty when the ledger holds no state.
DutyPlan plan_of(const Ledger& ledger, const std::vector<VisitFigures>& visits);

}  // namespace kuvio
