// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/uncertainty.h"
#include "core/verdict.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace kuvio {

struct Basis;
struct Ledger;
class Trace;

/// A series of states gone through at a steady rate.
struct Activity {
  double rate_hz = 0;  ///< rounds per second
  std::vector<std::string> states;
  /// Lengths of states that the field decides, not the build (s): they stand for the measured ones.
  std::map<std::string, double> lengths{};
};

/// How often each state is visited in the field.
struct DutyPlan {
  std::string rest;  ///< the state that fills what no activity takes
  std::vector<Activity> activities;
  std::vector<std::string> once{};  ///< gone through once in a life (boot, joining)
  std::string name{};               ///< of its file, for messages

  bool names(const std::string& state) const;
};

/// A state's part in a mean current.
struct Share {
  std::string state;
  double current = 0;  ///< A
};

/// A state that a duty plan does not name, with its part of what was captured (Off and missing time
/// left out).
struct Unnamed {
  std::string state;
  double charge_share = 0, time_share = 0;
};
std::vector<Unnamed> unnamed_states(const DutyPlan& plan, const Ledger& ledger);
/// More of the charge than may go unnamed in a verdict.
inline constexpr double kMostUnnamed = 0.01;
bool too_much_unnamed(const std::vector<Unnamed>& unnamed);

/// 95 % interval of a mean current (A).
struct CurrentInterval {
  double low = 0, high = 0;
};

/// A mean current, of a duty plan or of a capture as it was recorded, with what it rests on.
struct FieldMean {
  double mean = 0;                    ///< A
  std::string of;                     ///< what it is the mean of, for people
  std::vector<Component> components;  ///< of its uncertainty (A)
  std::vector<Component> scatter;     ///< those among them that are no instrument's
  Expanded mean_u;
  std::vector<Share> shares;         ///< add up to the mean
  double once_charge = 0;            ///< C, taken from the usable charge once
  std::vector<std::string> missing;  ///< states that the ledger holds no whole visit of: no data
  std::vector<Unnamed> unnamed;      ///< what the plan leaves out
  std::vector<std::string> single;   ///< states or kinds of round that rest on a single one
  double single_share = 0;           ///< of the charge, in kinds of round that were met once
  Bounds bounds;
  bool accuracy_stated = false;
  /// The interval if rounds come at random at the captured rate, instead of as often as they did.
  std::optional<CurrentInterval> by_chance;
  std::string decided_by;  ///< the few rare rounds that most of the charge rests on, or empty

  /// Nothing may be called within on this mean: too much is unnamed, or rests on a single round.
  bool open() const { return too_much_unnamed(unnamed) || single_share > 0.1; }
  /// I exp(± U/I): what is left of a current never falls below nothing. For I <= 0 I ± U.
  CurrentInterval interval() const;
};

/// Lengths that both sides of a comparison have in common (s), by state.
using CommonLengths = std::map<std::string, double>;

/// I = sum r (Q - I_rest d) + I_rest, over all activities and their states, r rounds per second of
/// charge Q and length d.
///
/// Q and d are means over whole visits. Where a length is given (by the activity, or in `common`)
/// it stands for d, and Q is the state's level times it. Scatter: of q - I_rest d over whole rounds
/// of each activity, whose states go together, where the captures hold them, else state by state.
/// When `missing` is not empty the mean is meaningless. Throws std::domain_error when the
/// activities take more time than there is (sum(r d) > 1).
FieldMean field_mean(const DutyPlan& plan, const Ledger& ledger, const CommonLengths& common = {});

/// Mean current of captures as they were recorded: sum of charges over sum of periods of the whole
/// cycles of the longest state, or all of it when there are none; Off and missing time stay out. Of
/// typed readings of one state, theirs.
///
/// As many rounds of each kind as there were: the residuals q - I T scatter by kind, u = s sqrt(n)
/// / sum T with n - 1 degrees of freedom; a kind met once shows no scatter and is named.
/// `by_chance`: limits of a sum of Poisson events weighted by what each draws more than the rest
/// (Fay and Feuer 1997).
FieldMean captured_mean(const Ledger& ledger);

/// Mean of a trace that is not split, by batch means.
FieldMean unsplit_mean(const Trace& trace, const Basis& basis);

/// What was gone through in a capture, as a duty plan: the longest state is the rest, the kinds of
/// round are activities as often as they came, and a state met only once and before every other is
/// gone through once. A first plan to start from, not the field. Rest is empty when the ledger
/// holds no state.
DutyPlan plan_of(const Ledger& ledger);

}  // namespace kuvio
