// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

namespace kuvio::app {

/// A place on an axis. Minor ticks have no label.
struct Tick {
  double at = 0;
  std::string label;
  bool major = true;
};

/// Ticks of a time axis (s): steps of 1, 2 or 5 (60, 120, 300 … from a minute up), labels in
/// the time notation in force, as a clock from two minutes up, with as many decimals as the step
/// needs. Zoomed in so far that labels would repeat their leading digits, only the first is written
/// in full and the others as the distance from it (+20 µs).
std::vector<Tick> time_ticks(double from, double to, int at_most);

/// Ticks of a linear value axis with SI prefixes, one prefix for the whole axis.
std::vector<Tick> value_ticks(double from, double to, int at_most, const std::string& unit);

/// Ticks of a logarithmic axis: labelled decades, and minor ticks at 2 … 9 while decades are at
/// least `minor_from` pixels apart. Requires 0 < from < to.
std::vector<Tick> log_ticks(double from, double to, double pixels, double minor_from,
                            const std::string& unit);

/// Ticks between two places of such an axis (in decades), at zero and at quiet times a power of
/// ten.
std::vector<Tick> both_ways_ticks(double from, double to, double quiet, double pixels,
                                  const std::string& unit);

}  // namespace kuvio::app
