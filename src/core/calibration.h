// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/accuracy.h"
#include "core/quantity.h"
#include "core/trace.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// A part's value and how far it may be off.
struct Toleranced {
  double value = 0;       ///< in SI
  double tolerance = 0;   ///< relative, a bound: 0.01 for 1 %
  double per_kelvin = 0;  ///< temperature coefficient (1/K)
  double kelvin = 0;      ///< by how much its temperature may be off the one it was measured at

  /// What its temperature leaves open, relative, a bound.
  double thermal() const { return per_kelvin * kelvin; }
  bool operator==(const Toleranced&) const = default;
};
/// Reads "0.1 Ohm 1 %", "90 kOhm", "10k 0.1 %" (Ohm where no unit stands), "0.1 Ohm 1 % 50 ppm/K 30
/// K": a temperature coefficient with what the temperature may be off. Throws
/// std::invalid_argument with what is wrong.
Toleranced parse_resistor(std::string_view text);
std::string to_string(const Toleranced& resistor);

/// Two resistors before an input: it sees V * lower / (upper + lower).
struct Divider {
  Toleranced upper, lower;  ///< Ohm

  /// What a reading at the input is multiplied with: (R1 + R2) / R2.
  double ratio() const { return (upper.value + lower.value) / lower.value; }
  /// Bounds of the ratio, relative, of each resistor: R1 / (R1 + R2) times its tolerance, and times
  /// what its temperature leaves open.
  std::vector<double> bounds() const;
  bool operator==(const Divider&) const = default;
};
/// Reads "90k/10k", "90k/10k 1 %" (both), "90 kOhm 1 %/10 kOhm 0.1 %".
Divider parse_divider(std::string_view text);
std::string to_string(const Divider& divider);

/// What a channel reads while nothing should flow.
struct ZeroLevel {
  double mean = 0;   ///< in the channel's unit as recorded
  double U = 0;      ///< of the mean, at 95 %: Student's t of twenty batch means or more
  double drift = 0;  ///< of two zeros, before and after: from one to the other
  std::string from;  ///< where it was found, for people
  /// When it was found (s on the capture's axis), and of two the later one; the same where their
  /// times are not known.
  double at_s = 0, later_s = 0;
  /// U of the mean if the drift within its stretch is taken off; 0 where it is not known.
  double line_U = 0;
  /// The drift is known along the capture: it is shared out on a straight line between the two.
  bool along() const { return drift != 0 && later_s > at_s; }
  /// Drift a second (unit/s); 0 where it is not known along the capture.
  double slope() const { return along() ? drift / (later_s - at_s) : 0; }
  bool operator==(const ZeroLevel&) const = default;
};
/// The zero of a stretch of a trace, from the means of twenty equal parts of it, so that slow drift
/// and samples that go together widen it. Throws std::invalid_argument where the stretch holds too
/// few samples, gaps or flags.
ZeroLevel zero_level(const Trace& trace, double from_s, double to_s);
/// The same from the means of its parts in their order.
ZeroLevel zero_of_means(const std::vector<double>& means);
/// Of a zero taken before and one taken after, in either order: along the line between them where
/// both times are known, else half-way, with half the way between them a bound.
ZeroLevel between(const ZeroLevel& before, const ZeroLevel& after);

/// What people have put right of a channel since it was recorded. Samples stay as they came:
/// value = gain * ratio / shunt * x + offset, or with a zero gain * ratio / shunt * (x - zero), and
/// what the logger itself draws is then taken off.
struct ChannelCalibration {
  double gain = 1, offset = 0;  ///< offset in the unit that results
  std::optional<Divider> divider;
  std::optional<Toleranced> shunt;  ///< Ohm: turns a voltage, its drop, into a current
  double shunt_rating_w = 0;        ///< 0: not known
  std::optional<ZeroLevel> zero;
  double subtract = 0;   ///< what the logger or adapter itself draws, in the unit that results
  std::string accuracy;  ///< a statement in place of the recorded one; "": that one

  bool identity() const { return *this == ChannelCalibration{}; }
  bool operator==(const ChannelCalibration&) const = default;
};

/// A calibration as it acts on a channel.
struct CalibratedChannel {
  /// value = gain * x + offset + slope * t, x as recorded, t in s on the capture's axis.
  double gain = 1, offset = 0, slope = 0;
  Quantity quantity = Quantity::current;
  /// What is known of its values: the statement of the input in the unit that results, tolerances
  /// of shunt and divider among its gain, a zero's own uncertainty in place of its offset. A bound
  /// where it rests on one bound alone, else expanded (k = 2) from standard uncertainties added in
  /// quadrature, a bound's being bound / sqrt(3) (JCGM 100:2008, 4.3.7, 5.1.2).
  Accuracy accuracy;
};
/// `recorded`: what the channel was recorded as. Throws std::invalid_argument for a shunt at what
/// is no voltage, or a statement of another quantity.
CalibratedChannel calibrated(const ChannelCalibration& calibration, Quantity recorded,
                             const Accuracy& stated);

/// What a current does at its shunt.
struct ShuntLoad {
  double peak_v = 0, mean_v = 0;  ///< burden voltage
  double peak_w = 0, mean_w = 0;  ///< dissipation: R I^2
};
/// `trace`: the current. Throws std::invalid_argument where it holds no samples.
ShuntLoad shunt_load(const Trace& current, double ohm);

}  // namespace kuvio
