// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/duty.h"
#include "core/ledger.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace kuvio {

using Conditions = std::map<std::string, std::string>;

/// One side of a comparison: the pooled ledger of a build's captures and their conditions.
struct Side {
  std::string name;
  Ledger ledger;
  Conditions conditions;
};

/// A condition that was not the same on both sides ("" where it was not noted).
struct Unlike {
  std::string condition, reference, candidate;
};

/// What a comparison shows of a state.
enum class Shown { higher, lower, equal, none, single_visit };
std::string_view to_string(Shown shown);

/// A difference (candidate minus reference) with its 95 % interval, held family-wise by Holm's
/// step-down.
struct Difference {
  double value = 0, low = 0, high = 0;
  double u = 0, freedom = 0;  ///< standard uncertainty and effective degrees of freedom
  double p = 1;               ///< two-sided
  bool tested = false;        ///< both sides hold at least two whole visits
  bool known = false;         ///< both sides hold any
};

struct CompareRow {
  std::string state;
  std::optional<double> reference_mean, candidate_mean;  ///< A
  Difference mean;                                       ///< A
  Difference charge_per_visit;                           ///< C
  Difference visit_length;                               ///< s; told, not tested
  Shown shown = Shown::none;
  bool by_charge = false;  ///< `shown` speaks of the charge per visit, not of the mean
  double bridge = 0;       ///< A: difference of charge / observed time of the capture
};

struct Comparison {
  std::string reference, candidate;
  std::vector<Unlike> unlike;
  std::vector<CompareRow> rows;
  std::optional<double> reference_mean, candidate_mean;
  Difference total;
  Shown total_shown = Shown::none;
  bool field = false;                ///< total and bridge are of the duty plan, not of the captures
  std::vector<std::string> missing;  ///< states of the duty plan that a side does not hold

  bool alike() const { return unlike.empty(); }
};

struct CompareSettings {
  std::optional<double> equal_within;  ///< margin as a share of the reference (0.02 for 2 %)
  std::optional<DutyPlan> duty;        ///< compare means in the field
};

/// Conditions whose values differ. Keys that only say when or how fast a capture was made
/// ("note", "recorded_by") do not count.
std::vector<Unlike> unlike_conditions(const Conditions& reference, const Conditions& candidate);

/// Compares two ledgers state by state.
///
/// Captures taken with the same input, range and zero share their instrument's error: the offset
/// cancels and the gain acts on the difference only; otherwise both enter in full. Repeatability by
/// Welch. Every state's mean is tested, and the charge per visit of every state but the longest one
/// (whose visits are as long as the others leave room for); Holm's step-down over all these tests
/// keeps the chance of any false difference at 5 %, and the intervals shown are those it implies.
/// The bridge's parts add up to the difference of the means exactly.
Comparison compare(const Side& reference, const Side& candidate,
                   const CompareSettings& settings = {});

/// Adjusts tested differences in place: intervals and the verdict of Holm's step-down at 5 %.
void holm(std::vector<Difference*> tests);

}  // namespace kuvio
