// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/compare.h"

#include <vector>

namespace kuvio {

/// What both sides of a comparison were taken with.
struct Instruments {
  bool same = false;             ///< input, range, zero and accuracy
  bool automatic_range = false;  ///< which hardware range a level was read in is not known
};
Instruments instruments_of(const Side& reference, const Side& candidate);

/// One reading on each side with its weight in a difference (1 for a mean, a length for a charge, a
/// share of time for a mean in the field).
struct ReadingPair {
  double reference = 0, reference_weight = 1;
  double candidate = 0, candidate_weight = 1;
  Accuracy reference_accuracy, candidate_accuracy;
  bool typed = false;  ///< one of them was read by somebody: no instrument is shared
};
ReadingPair pair_of(const LedgerRow& reference, double reference_reading, double reference_weight,
                    const LedgerRow& candidate, double candidate_reading, double candidate_weight);

/// The instrument's part in the difference of two weighted sums of readings. Where one was typed,
/// no part cancels.
std::vector<Component> instrument_part(const Instruments& instruments,
                                       const std::vector<ReadingPair>& readings);

/// Interval and chance of a difference from its components.
void set_interval(Difference& difference, std::vector<Component> components);

/// On which sides a difference is open.
Bounds bounds_of_difference(Bounds reference, Bounds candidate);

/// The 90 % interval inside ±margin shows equality (two one-sided tests, Schuirmann 1987).
bool within_margin(const Difference& difference, double margin);

/// The difference at the same use: field means of both sides by `plan`, with the lengths that it
/// gives and those whose difference is not shown held common. Fills the rows' level and length
/// parts. Nothing when a side holds no whole visit to a state that the plan needs.
std::optional<SameUse> same_use(const Side& reference, const Side& candidate, const DutyPlan& plan,
                                const Instruments& instruments, std::vector<CompareRow>& rows);

/// The captures' own rates of both sides together, as a plan.
DutyPlan pooled_plan(const Ledger& reference, const Ledger& candidate);

}  // namespace kuvio
