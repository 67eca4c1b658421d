// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/accuracy.h"
#include "core/repeatability.h"
#include "core/typed_reading.h"
#include "core/visit_figures.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// What a capture's figures rest on besides its samples.
struct Basis {
  Accuracy accuracy;
  double voltage = 0;   ///< nominal supply voltage (V), for energy; 0: unknown
  double sample_s = 0;  ///< usual length of one sample (s); 0: unknown
};

/// What per-visit figures are made of: a visit that nothing cut.
struct WholeVisit {
  std::size_t capture = 0;  ///< which of the ledger's captures
  double charge = 0, length = 0;
  std::optional<double> peak;
  double voltage = 0;                 ///< of its capture; 0: unknown
  double charge_u = 0, length_u = 0;  ///< standard uncertainties from its edges
  bool narrow = false;                ///< out of level and length statistics; its charge is right
};

/// What the spread of a row's level was known from.
enum class SpreadOf {
  none,      ///< nothing repeats: the uncertainty is the accuracy's alone
  visits,    ///< whole visits, of one capture or two: holds for these captures
  batches,   ///< equal parts of long stays, where fewer than two visits are whole
  captures,  ///< three captures or more: holds for the build
  readings,  ///< of somebody who read a meter
};
std::string_view to_string(SpreadOf spread);

/// What a row that was typed rests on.
struct TypedRow {
  std::size_t readings = 0;
  Accuracy length, peak, voltage;  ///< as stated of them; offsets in s, A and V
};

/// All visits of one state: a row of the ledger. U are expanded uncertainties at 95 %.
struct LedgerRow {
  std::string state;
  std::size_t visits = 0;        ///< whole and cut; one that goes on out of range counts once
  std::size_t whole_visits = 0;  ///< narrow ones included
  std::size_t narrow_visits = 0;
  double time_s = 0, time_share = 0;
  std::optional<double> mean;     ///< over all stays, cut ones too: charge / time observed (A)
  std::optional<double> settled;  ///< of its stays, by their length (settled_level.h)
  /// Its standard uncertainty by what the stays show (A); nothing where all are too short to.
  std::optional<double> settled_u;
  double charge = 0, charge_share = 0;
  std::optional<double> peak, least;
  std::optional<double> energy;  ///< J, at each capture's nominal supply voltage
  Bounds bounds;                 ///< some visit was clipped: holds for every figure of the state
  Accuracy accuracy;             ///< of its captures, by their time in the state
  /// Nothing was captured of the state: its figures were typed, without time and charge as
  /// captured.
  std::optional<TypedRow> typed;
  std::size_t typed_beside = 0;  ///< readings that were typed of a state that is captured: unused

  std::vector<WholeVisit> whole;
  Repeatability level;  ///< of the mean current (A): over whole visits, or as `spread` says
  SpreadOf spread = SpreadOf::none;
  Repeatability charge_per_visit;  ///< over whole visits (C)
  Repeatability visit_length;      ///< over whole visits that are not narrow (s)
  double charge_per_visit_min = 0, charge_per_visit_max = 0;

  Expanded mean_u, charge_u;  ///< of the mean (A); of the charge as captured (C), instrument alone
  Expanded charge_per_visit_u, visit_length_u;

  /// The mean that limits and comparisons test: of the whole visits where there are two or more,
  /// else over all stays.
  std::optional<double> tested_mean() const;
  /// Fewer than two whole visits: only the accuracy and what a stay shows by itself speak. Who
  /// types a reading with its ± speaks for the state.
  bool single_visit() const { return typed ? !accuracy.stated() && level.n < 2 : whole_visits < 2; }
  /// Something is known of how its visits' lengths vary.
  bool length_known() const {
    return visit_length.n > 1 || (typed && visit_length.n > 0 && typed->length.stated());
  }
  const Accuracy& peak_accuracy() const { return typed ? typed->peak : accuracy; }
  bool all_narrow() const { return narrow_visits > 0 && visit_length.n == 0; }

  /// Mean over the whole visits of a + b, repeated over visits or captures: `value` gives a visit's
  /// own.
  template <typename Value>
  Repeatability repeat(Value value) const {
    std::vector<double> y, x;
    std::vector<std::size_t> from;
    for (const WholeVisit& v : whole) {
      y.push_back(value(v));
      x.push_back(1);
      from.push_back(v.capture);
    }
    return ratio_over_captures(y, x, from);
  }
};

/// One visit in the order in which a capture went through them.
struct Passed {
  std::size_t capture = 0;
  std::string state;
  bool whole = false, narrow = false;
  double charge = 0, length = 0;
};

/// The account of one or several captures by state. It closes: the rows' times and charges add up
/// to the totals, which are those of the traces themselves.
struct Ledger {
  std::vector<LedgerRow> rows;  ///< by falling charge; Unassigned, Off and Missing last
  double time_s = 0;            ///< from the first to the last moment, missing time included
  double missing_s = 0, off_s = 0;
  double charge = 0, off_charge = 0;
  std::optional<double> mean;  ///< charge outside Off / observed time outside Off
  Expanded mean_u;             ///< of these captures: instrument alone
  Bounds bounds;
  Basis basis;  ///< of its captures together: accuracy by time, voltage where they share one
  std::size_t captures = 0;
  std::vector<Passed> sequence;

  /// The instrument's part is known: of what was captured, or of every state that was typed.
  bool accuracy_stated() const;
  double observed_s() const { return time_s - missing_s - off_s; }
  const LedgerRow* find(const std::string& state) const;
  /// The captured state with the most time (the device's rest), or null.
  const LedgerRow* longest() const;
};

/// One capture's part in a ledger, with what its own figures rest on: a trace, or readings that
/// were typed.
struct Account {
  const Trace* trace = nullptr;
  std::vector<VisitFigures> visits;
  Basis basis{};
  std::vector<TypedReading> typed{};
};

/// Adds up one or several captures of the same build, each by its own accuracy, voltage and rate.
/// Rows exist for every state met and for every name in `states`; Unassigned and Missing always.
/// Typed readings stand for states that nothing was captured of; others are counted in their row.
/// Requires at least one account; those of traces come first.
Ledger make_ledger(const std::vector<Account>& accounts,
                   const std::vector<std::string>& states = {});

/// Components of the uncertainty of a row's tested mean: instrument, and what repeats.
std::vector<Component> mean_components(const LedgerRow& row, bool with_accuracy = true);
/// The same for its charge per visit and its visit length: what repeats, or of a single visit its
/// edges; of what was typed what was stated.
std::vector<Component> charge_per_visit_components(const LedgerRow& row, bool with_accuracy = true);
std::vector<Component> visit_length_components(const LedgerRow& row);
/// What was stated of typed lengths, times `weight`; nothing of captured ones.
std::vector<Component> typed_length_components(const LedgerRow& row, double weight = 1);

/// Repeatability of the mean current of long stays that nothing else repeats, from equal parts of
/// them: as many as 160, halved down to 20 while neighbours go together (batch means; Law 2015,
/// 9.5.3). Nothing with fewer than 100 samples.
Repeatability batch_means(const std::vector<const Account*>& accounts, const std::string& state);

}  // namespace kuvio
