// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/conditions.h"
#include "core/duty.h"
#include "core/ledger.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// One side of a comparison: the pooled ledger of a build's captures and their conditions.
struct Side {
  std::string name;
  Ledger ledger;
  Conditions conditions;
};

/// A condition that was not the same on both sides ("" where it was not noted).
struct ConditionMismatch {
  std::string condition, reference, candidate;
};

/// What a comparison shows of a difference. equal: inside the margin that was asked for, whatever
/// else is shown of it. none: not shown, which is not the same as equal.
enum class Conclusion { higher, lower, equal, none, single_visit };
std::string_view to_string(Conclusion conclusion);

/// A difference (candidate minus reference) with its own 95 % interval.
struct Difference {
  double value = 0, low = 0, high = 0;
  std::vector<Component> components;
  double p = 1;           ///< two-sided
  bool known = false;     ///< both sides hold any
  bool tested = false;    ///< it is one of the comparison's tests
  bool rejected = false;  ///< not chance, by Holm's step-down at 5 % over all of them
  Bounds bounds;          ///< something was clipped: on which side the truth may lie

  double U() const { return (high - low) / 2; }
  /// Its own interval leaves out zero, but among so many tests that may be chance.
  bool not_shown_among_many() const { return tested && !rejected && (low > 0 || high < 0); }
};

struct CompareRow {
  std::string state;
  std::optional<double> reference_mean, candidate_mean;  ///< A, of whole visits where there are two
  Difference mean;                                       ///< A
  Difference charge_per_visit;                           ///< C
  Difference visit_length;                               ///< s; tested where a plan has it
  Conclusion conclusion = Conclusion::none;
  bool by_charge = false;  ///< `conclusion` is of the charge per visit, not of the mean
  double bridge = 0;       ///< A: difference of charge / observed time of the capture
  /// A: what its level and its length make of the difference at the same use.
  double level_part = 0, length_part = 0;
};

/// A length that both sides have in common at the same use.
struct CommonLength {
  std::string state;
  bool given = false;  ///< by the duty plan; else because no difference is shown
  double length_s = 0;
  /// How much of the build's own could hide in it (A): sum r |I - I_rest| U(difference of lengths).
  /// Nothing for a given one, nor where a single visit shows nothing of it.
  std::optional<double> could_hide;
};

/// The difference in which what is not the build's is held common.
struct SameUse {
  Difference difference;  ///< A
  Conclusion conclusion = Conclusion::none;
  std::vector<CommonLength> common;
  std::vector<std::string> own;  ///< states whose length is shown to differ: the build's
  double could_hide = 0;         ///< A: of all common lengths together, root of the sum of squares
};

struct Comparison {
  std::string reference, candidate;
  std::vector<ConditionMismatch> unlike;
  std::vector<CompareRow> rows;
  std::optional<double> reference_mean, candidate_mean;
  Difference total;
  Conclusion total_conclusion = Conclusion::none;
  bool field = false;                ///< total and bridge are of the duty plan, not of the captures
  std::vector<std::string> missing;  ///< states of the duty plan that a side does not hold
  std::optional<SameUse> same_use;
  std::vector<Unnamed> unnamed_reference, unnamed_candidate;  ///< by the duty plan
  std::vector<std::string> single;  ///< states that a side visited once: their variation is unknown
  std::size_t tests = 0;            ///< of the family
  bool of_builds = false;           ///< three captures a side; else it holds for these captures
  bool accuracy_stated = true;      ///< on both sides

  bool alike() const { return unlike.empty(); }
  /// Something is shown to be worse.
  bool worse() const;
  /// Nothing is shown to be worse, but something may be: too much is unnamed by the plan, data is
  /// missing, or what was clipped may lie higher.
  bool open() const;
};

struct CompareSettings {
  std::optional<double> equal_within;  ///< margin as a share of the reference (0.02 for 2 %)
  std::optional<DutyPlan> duty;        ///< compare means in the field
};

/// Conditions whose values differ. Keys that only say when or how fast a capture was made
/// ("note", "recorded_by") do not count.
std::vector<ConditionMismatch> unlike_conditions(const Conditions& reference,
                                                 const Conditions& candidate);

/// Compares two ledgers state by state.
///
/// Means tested are those of whole visits. Captures taken with the same input, range and zero share
/// their instrument's error: the offset cancels and the gain acts on the difference only; otherwise
/// both enter in full. Under automatic range that holds only where both levels lie in one range,
/// which is taken for granted within a tenth of each other. Tested are every state's mean, the
/// charge per visit of every state but the longest one (whose visits are as long as the others
/// leave room for), the total and the same use; Holm's step-down over all of them keeps the chance
/// of any false difference at 5 %. Each interval is that difference's own 95 % interval. A
/// difference whose 90 % interval lies inside the margin is *equal*, first of all. The bridge's
/// parts add up to the difference of the means exactly, level and length parts to that at the same
/// use.
Comparison compare(const Side& reference, const Side& candidate,
                   const CompareSettings& settings = {});

/// Marks which tested differences chance does not explain: Holm's step-down (1979) at a
/// family-wise level.
void holm(std::vector<Difference*> tests, double level = 0.05);

}  // namespace kuvio
