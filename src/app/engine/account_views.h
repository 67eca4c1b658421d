// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/transitions.h"

#include <string>

namespace kuvio::app {

/// What follows what in a build's captures, to hold others against.
struct WaysView {
  std::string build;
  std::size_t captures = 0;  ///< that are split
  Transitions ways;
};

}  // namespace kuvio::app
