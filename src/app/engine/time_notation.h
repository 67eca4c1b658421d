// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio::app {

/// How moments are written everywhere in the window.
enum class TimeNotation {
  clock,   ///< 31:38.486, 1:02:03.500
  seconds  ///< 1898.486 s
};
TimeNotation time_notation();
void set_time_notation(TimeNotation notation);

/// A moment (s) with so many decimals in the notation in force. Rounded before it is parted: never
/// 0:60.0.
std::string time_text(double t, int decimals);
/// To the millisecond.
std::string exact_time_text(double t);

}  // namespace kuvio::app
