// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// Counts that a current should have to be resolved.
inline constexpr double kSureCounts = 10;

/// What a shunt is to do, and what reads its drop.
struct ShuntTask {
  double peak_a = 0;        ///< greatest current expected
  double smallest_a = 0;    ///< smallest current of interest; 0: not said
  double range_v = 0;       ///< full scale of the converter, one side of zero
  int bits = 0;             ///< of it
  bool both_ways = true;    ///< it reads from -range to +range
  double drop_v = 0;        ///< burden voltage that the device bears; 0: the range alone limits
  double decoupling_f = 0;  ///< capacitance behind the shunt, at the device; 0: not said
};

/// A shunt with what it does at the task.
struct ShuntChoice {
  double ohm = 0;
  bool by_drop = false;              ///< the allowed drop limits it, not the range
  double peak_v = 0;                 ///< burden voltage at the peak
  double peak_w = 0;                 ///< heat at the peak, R I^2
  double full_scale_a = 0;           ///< what the range shows
  double count_a = 0;                ///< one count of the converter
  std::optional<double> counts;      ///< of the smallest current
  std::optional<double> resolved_u;  ///< its standard uncertainty from counts alone, relative:
                                     ///< count / sqrt(12) / smallest
  /// Bits with which the smallest current has ten counts; nothing where it has.
  std::optional<int> needed_bits;
  /// R C: edges and peaks shorter than a few of it are smeared, charge is not.
  std::optional<double> time_constant_s;
};

/// The largest E24 value (IEC 60063) R with R I_peak within the allowed drop and within the range:
/// the larger it is, the smaller a count. Throws std::invalid_argument where something is missing
/// or makes no sense.
ShuntChoice choose_shunt(const ShuntTask& task);

/// The same of a shunt that is there already: the peak may be beyond the range or the drop that is
/// allowed, which `in_words` says. Throws std::invalid_argument as above.
ShuntChoice judge_shunt(const ShuntTask& task, double ohm);

/// What of it is worth knowing, in sentences without their full stops.
std::vector<std::string> in_words(const ShuntChoice& choice, const ShuntTask& task);

}  // namespace kuvio
