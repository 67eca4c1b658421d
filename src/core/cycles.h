// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/split.h"

#include <optional>
#include <string>

namespace kuvio {

/// A span of whole cycles: from an entry into a state to another one.
struct WholeCycles {
  double from_s = 0, to_s = 0;
  std::string state;  ///< whose entries begin the cycles
  int cycles = 0;     ///< at least 1
};

/// Moves a span's ends to the nearest entries into `state`, at least one cycle apart. Entries are
/// where a visit of it begins, but for one that the capture's start or a gap cuts. Nothing when
/// there are fewer than two.
std::optional<WholeCycles> whole_cycles(const Visits& visits, const std::string& state,
                                        double from_s, double to_s);

/// The state whose entries suit a span: the one visited at its start if that repeats, else the one
/// that takes the most time among those that repeat; empty when none does.
std::string cycle_state(const Visits& visits, double at_s);

}  // namespace kuvio
