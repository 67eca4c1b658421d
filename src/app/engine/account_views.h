// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/transitions.h"

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

/// Where the recipe of a capture's split may no longer fit it, in sentences without full stops.
struct FitView {
  std::int64_t capture = 0;
  std::vector<std::string> remarks;
};

}  // namespace kuvio::app
