// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/latency.h"
#include "core/ledger.h"
#include "core/recipe.h"
#include "core/transitions.h"

#include "study/troubles.h"

#include <cstdint>
#include <string>
#include <vector>

namespace kuvio::app {

/// What follows what in a build's captures, to hold others against.
struct WaysView {
  std::string build;
  std::size_t captures = 0;  ///< that are split
  Transitions ways;
};

/// What of a capture is not the device at its normal work.
struct TroublesView {
  std::int64_t capture = 0;
  study::Troubles found;
  std::string error;  ///< why it could not be looked through; empty: it was
};

/// How long a state is waited for, from what happens beside it.
struct WaitsRequest {
  std::int64_t capture = 0;
  std::string state;
  Anchor from;

  bool operator==(const WaitsRequest&) const = default;
};
struct WaitsView {
  WaitsRequest asked;
  Latency latency;
  std::string error;  ///< why it cannot be told; empty: it can
};

/// Another current in the visits of a capture.
struct LedgerRequest {
  std::int64_t capture = 0;
  std::string channel;
};
struct LedgerView {
  LedgerRequest asked;
  Ledger ledger;
  std::string error;
};

/// Where the recipe of a capture's split may no longer fit it, in sentences without full stops.
struct FitView {
  std::int64_t capture = 0;
  std::vector<std::string> remarks;
};

}  // namespace kuvio::app
