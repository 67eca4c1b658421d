// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/duty.h"
#include "core/verdict.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// A cell as its data sheet and the engineer's caution have it.
struct Battery {
  std::string name;
  double capacity_c = 0;              ///< nominal charge (C)
  double voltage = 0;                 ///< nominal voltage (V); 0: unknown
  double reserve = 0;                 ///< share left when the device stops (0.05 for 5 %)
  double margin = 0;                  ///< design margin on top
  double self_discharge_hz = 0;       ///< k of dC/dt = -kC (1/s); see self_discharge_rate
  std::vector<std::string> not_used;  ///< what its file gives and no figure uses yet (pulse checks)

  /// Charge that may go before it counts as empty: C0 (1 - reserve)(1 - margin).
  double usable_c() const { return capacity_c * (1 - reserve) * (1 - margin); }
};

/// k from a share p lost per period: k = -ln(1 - p)/period. Requires 0 <= p < 1.
double self_discharge_rate(double share, double period_s);

/// Time (s) until the cell is empty at a steady mean current: C starts at C0 (less once_c, gone at
/// the start), dC/dt = -I - kC, empty once C0 (1-reserve)(1-margin) is gone. Closed form
///   t = ln((C + I/k) / (C_end + I/k)) / k,  (C - C_end)/I for k -> 0.
/// Nothing when neither drains it (I <= 0 and k = 0); 0 when once_c empties it alone.
std::optional<double> life(const Battery& battery, double mean_a, double once_c = 0);

/// Nominal charge (C) that a cell of the same kind needs to last `wanted_s`; nothing when no cell
/// can, since self-discharge alone eats the usable part by then.
std::optional<double> needed_capacity(const Battery& battery, double mean_a, double wanted_s,
                                      double once_c = 0);

/// How often the rounds of a capture come is given (as often as they did), or left to chance.
enum class Counts { given, chance };

/// A battery life with its 95 % interval (s). Nothing at an end: that current drains no battery.
struct LifeInterval {
  std::optional<double> life, low, high;
  /// The same if rounds come at random; nothing where that is not asked (a duty plan gives rates).
  bool has_chance = false;
  std::optional<double> chance_low, chance_high;
  bool unlimited = false;      ///< the upper end (or the life itself) is without end
  Bounds bounds;               ///< of the life: a current that may be higher makes it at most this
  bool open = false;           ///< no verdict on it is within (FieldMean::open)
  double coverage_factor = 0;  ///< of the mean current it was worked out from
};

/// Life of a mean current less what is harvested (A): the interval of the current is taken on a
/// logarithmic scale, I exp(± U/I), so that it never reaches a current at which only self-discharge
/// is left.
LifeInterval life_interval(const FieldMean& mean, const Battery& battery, double harvest_a = 0);

/// Whether a wanted life is reached.
Verdict judge_life(const LifeInterval& life, double wanted_s, Counts counts = Counts::given);

}  // namespace kuvio
