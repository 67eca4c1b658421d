// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace kuvio::cli {

/// What is asked of a ledger beside its rows.
struct LedgerParts {
  std::string visits;          ///< the state whose visits are listed
  bool transitions = false;    ///< what followed what
  std::string reference;       ///< beside this capture's
  std::string per, per_state;  ///< charge per what log lines count
  std::string latency;         ///< to this state's entry, from one of:
  std::string log, mark, rise, fall;
  bool troubles = false;  ///< what is not the device at its normal work, by:
  std::string limit, supply, dip;
};
void add_parts(CLI::App& app, LedgerParts& parts);

/// The same, found: for people.
struct Parts {
  std::string settles;                          ///< how well the cycles' mean is known
  std::vector<std::vector<std::string>> table;  ///< of visits
  std::vector<std::string> lines;
};
/// Finds what is asked for and puts it into the document too. Error usage where it is asked of what
/// is not there.
Parts find_parts(const LedgerParts& asked, const book::Book& book,
                 const book::SplitCapture& capture, const std::vector<VisitFigures>& visits,
                 const Ledger& ledger, const std::string& cycle, nlohmann::ordered_json& document);
void print_parts(const Parts& parts);

/// Error bad_data where no visit is to that state.
void require_state(const book::SplitCapture& capture, const Ledger& ledger,
                   const std::string& state);

}  // namespace kuvio::cli
