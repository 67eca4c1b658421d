// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"

#include <nlohmann/json_fwd.hpp>

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::study {

/// Something in a capture that is not the device at its normal work.
struct Trouble {
  enum class Kind {
    limited,     ///< the supply held the current at its limit
    dip,         ///< the supply's voltage fell
    reset_loop,  ///< the device started over again and again
    restart,     ///< it started by itself
    hang,        ///< it stands still: silent, and where it never stays so long
    recorded,    ///< what the recorder told of while it recorded
  };
  Kind kind = Kind::recorded;
  double from_s = 0, to_s = 0;
  std::string state{};  ///< of the visit in which it began; "" in none
  std::string text{};   ///< a sentence without its full stop
  int times = 1;        ///< of limit and dips: those that follow each other closely are one row
  double length_s = 0;  ///< of limit and dips: of all of them, without what lies between
  std::optional<double> lowest_v{};  ///< of a dip
  bool recovers = true;              ///< of a dip: seen to come back
  int rounds = 0;                    ///< of a reset loop
  double period_s = 0;               ///< of a reset loop
  std::optional<double> silent_s{};  ///< of a hang: how long the log said nothing
};
std::string_view key_of(Trouble::Kind kind);

/// What to look for, and how.
struct TroubleSettings {
  std::optional<double> limit{};  ///< A; else what the condition "current limit" says
  std::string supply{};           ///< the voltage to look for dips in; "": the first recorded one
  double dip = 0.9;               ///< part of its usual voltage below which it has dipped
};

/// What was found, and what could not be looked for.
struct Troubles {
  std::vector<Trouble> all;          ///< in order of time
  std::vector<std::string> unknown;  ///< sentences without their full stops
  std::optional<double> limit_a;     ///< that was looked for
  std::string supply;                ///< that was looked at
  std::optional<double> usual_v, dip_v;
};

/// Looks through a stored capture for what a person should know before believing its figures:
/// limited_in (core/limited_stretches.h), supply_dips, loops_among, hangs_of. The device's starts
/// are the log lines that speak of booting or restarting, without any the entries into states whose
/// names do. Error usage where `supply` names no voltage of the capture.
Troubles troubles_of(const book::Book& book, const book::SplitCapture& capture,
                     const TroubleSettings& settings = {});

/// For programs; docs/ledger.md fixes the keys.
nlohmann::ordered_json to_json(const Troubles& troubles);

}  // namespace kuvio::study
