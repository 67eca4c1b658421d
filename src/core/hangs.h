// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/visit.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace kuvio {

/// A device that stands still: its log is silent for much longer than it ever is, and it stays
/// where it never stays so long.
struct Hang {
  double from_s = 0, to_s = 0;                ///< of the stay
  double silent_from_s = 0, silent_to_s = 0;  ///< from the last line before it
  double usual_silence_s = 0;                 ///< nine of ten silences of the log are shorter
  std::string state;                          ///< Unassigned: at a level of no state
  std::optional<double> longest_s;            ///< other stay there; nothing where there is none
  bool ends = false;  ///< it went on by itself; else the capture ends, or Off begins
};

/// Looks for hangs. `lines`: when the device wrote (s), in order of time; `log_to_s`: how far its
/// log was listened to.
///
/// A silence counts that is three times as long as nine of ten others, of eight lines or more, and
/// of which a single stay makes two thirds that is three times as long as any other of its state.
/// Without another stay only Unassigned counts: a state that is visited once may last as it likes.
std::vector<Hang> hangs_of(const Visits& visits, std::span<const double> lines, double log_to_s);

}  // namespace kuvio
