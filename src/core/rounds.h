// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/ledger.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// One run through some states between two stays in the rest, as it was captured: from the entry
/// into the rest before it to the next entry into the rest.
struct Round {
  std::size_t capture = 0;
  std::vector<std::string> states;   ///< in order, the rest left out
  std::vector<const Passed*> parts;  ///< one a state; they point into the ledger's sequence
  double charge = 0;                 ///< C, the rest before it included
  double length = 0;                 ///< s, likewise
};

/// The rounds of a ledger's captures by a rest state, those over a gap or Off left out.
std::vector<Round> rounds_of(const Ledger& ledger, const std::string& rest);

/// Rounds that went through the same states in the same order.
struct RoundKind {
  std::vector<std::string> states;
  std::vector<const Round*> rounds;
};
/// By falling number.
std::vector<RoundKind> kinds_of(const std::vector<Round>& rounds);

/// The states of the kinds that others are made up of. A kind is made up of others that followed
/// one another without rest, as when an uplink ends just as the timer wakes the device, if it is
/// rarer than one of them.
std::vector<std::vector<std::string>> simple_kinds(const std::vector<Round>& rounds);

/// Rounds that are one of the given parts, or several one after another: a round for each, its
/// charge and length those of its own states alone. Others are left out.
std::vector<Round> taken_apart(const std::vector<Round>& rounds,
                               const std::vector<std::vector<std::string>>& parts);

/// By falling number; a round that is made up of several goes to the one that holds most of its
/// charge.
std::vector<RoundKind> kinds_by_charge(const std::vector<Round>& rounds);

/// "Wake, Sense, Store", for people; "rest alone" when there are none.
std::string name_of(const std::vector<std::string>& states);

}  // namespace kuvio
