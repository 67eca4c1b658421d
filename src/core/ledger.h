// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/split.h"
#include "core/uncertainty.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// One visit with what was measured in it. SI units.
struct VisitFigures {
  Visit visit;
  double observed_s = 0, missing_s = 0;
  double charge = 0;                 ///< C
  std::optional<double> mean, peak;  ///< A; peak is the largest sample
  bool lower_bound = false;          ///< over-range samples inside

  bool operator==(const VisitFigures&) const = default;
};

/// Measures every visit of a split.
std::vector<VisitFigures> measure_visits(const Trace& trace, const Visits& visits);

/// What a capture's figures rest on besides its samples.
struct Basis {
  Accuracy accuracy;
  double voltage = 0;   ///< nominal supply voltage (V), for energy; 0: unknown
  double sample_s = 0;  ///< length of one sample (s): edges are known no better
};

/// All visits of one state: a row of the ledger. U are expanded uncertainties at 95 %.
struct LedgerRow {
  std::string state;
  std::size_t visits = 0;  ///< whole and cut
  std::size_t whole_visits = 0;
  double time_s = 0, time_share = 0;
  std::optional<double> mean, settled;
  double charge = 0, charge_share = 0;
  std::optional<double> peak;
  std::optional<double> energy;  ///< J, at the nominal supply voltage
  bool lower_bound = false;

  Expanded mean_u, charge_u;       ///< of the mean (A) and of the charge (C)
  Repeatability charge_per_visit;  ///< over whole visits (C)
  Repeatability visit_length;      ///< over whole visits (s)
  Expanded charge_per_visit_u, visit_length_u;
  double charge_per_visit_min = 0, charge_per_visit_max = 0;

  // What the uncertainties above were combined from; comparisons and budgets recombine them.
  Repeatability level;       ///< repeatability of the mean over whole visits
  double edge_charge_u = 0;  ///< standard uncertainty of one visit's charge from its two edges (C)
  double edge_length_u = 0;  ///< of its length (s)
  std::vector<double> charges, lengths, peaks;  ///< of the whole visits
};

/// The account of one or several captures by state. It closes: the rows' times and charges add up
/// to the totals, which are those of the traces themselves.
struct Ledger {
  std::vector<LedgerRow> rows;  ///< by falling charge; Unassigned, Off and Missing last
  double time_s = 0;            ///< from the first to the last moment, missing time included
  double missing_s = 0, off_s = 0;
  double charge = 0;
  std::optional<double> mean;  ///< charge outside Off / observed time outside Off
  Expanded mean_u;
  bool lower_bound = false;
  Basis basis;

  double observed_s() const { return time_s - missing_s - off_s; }
  const LedgerRow* find(const std::string& state) const;
  /// The state with the most time (the device's rest), or null.
  const LedgerRow* longest() const;
};

/// One capture's part in a ledger.
struct Account {
  const Trace* trace = nullptr;
  std::vector<VisitFigures> visits;
};

/// Adds up one or several captures of the same build. Rows exist for every state met and for every
/// name in `states`; Unassigned and Missing always. Requires at least one account.
Ledger make_ledger(const std::vector<Account>& accounts, const Basis& basis,
                   const std::vector<std::string>& states = {});

/// Components of the uncertainty of a row's mean current: accuracy, repeatability, edges.
std::vector<Component> mean_components(const LedgerRow& row, const Basis& basis,
                                       bool with_accuracy = true);
/// The same for its charge per visit and its visit length.
std::vector<Component> charge_per_visit_components(const LedgerRow& row, const Basis& basis,
                                                   bool with_accuracy = true);
std::vector<Component> visit_length_components(const LedgerRow& row);

/// Cycles: from one entry into a state to the next one.
struct Cycles {
  std::string state;
  std::size_t count = 0;
  double from_s = 0, to_s = 0;   ///< the whole-cycle span
  Repeatability period, charge;  ///< s, C
};
/// Cycles of `state` that no gap and no Off interrupts. count is 0 when there is none.
Cycles find_cycles(const Trace& trace, const Visits& visits, const std::string& state);

/// Settled level of one stay: means of 16 equal parts; from both ends, parts are dropped while they
/// lie further than three scaled median absolute deviations from the median; then the mean of the
/// rest.
std::optional<double> settled_level(const Trace& trace, const Visit& visit);

}  // namespace kuvio
