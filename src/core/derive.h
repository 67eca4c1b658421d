// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/trace.h"

#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace kuvio {

/// How a channel is made of others.
enum class DerivedBy {
  product,       ///< a * b: power
  difference,    ///< a - b: the drop over a shunt
  sum,           ///< a + b + …
  ratio,         ///< a / b
  running,       ///< integral since the beginning: charge of a current
  rolling_mean,  ///< mean over a window around each sample
  referred,      ///< a current behind a regulator, as it is ahead of it
};
/// "product", …; as in books and options.
std::string_view key_of(DerivedBy by);
/// Throws std::invalid_argument where none has that key.
DerivedBy derived_by(std::string_view key);

struct Derivation {
  DerivedBy by = DerivedBy::product;
  std::vector<std::string> of;  ///< names of channels
  double window_s = 0;          ///< of a rolling mean
  /// Of one that is referred: the voltages behind and ahead of the regulator (V), and its
  /// efficiency at currents behind it (A), rising; between them on a straight line over the
  /// current's logarithm, beyond them as at their ends.
  double behind_v = 0, ahead_v = 0;
  std::vector<std::pair<double, double>> efficiency{};
  bool operator==(const Derivation&) const = default;
};
/// Reads "I 1.8 V/3.6 V 10 uA:40 %,1 mA:80 %,100 mA:92 %". Throws std::invalid_argument.
Derivation parse_referral(std::string_view text);
/// What a regulator takes ahead of it for a current behind it: I V_behind / (V_ahead efficiency).
double referred(const Derivation& derivation, double current);

/// What a derived channel is of, and its unit ("V/A" for what has no name). Throws
/// std::invalid_argument with why they cannot go together.
struct DerivedUnit {
  Quantity quantity = Quantity::other;
  std::string unit;
};
DerivedUnit derived_unit(const Derivation& derivation, const std::vector<DerivedUnit>& of);

/// Samples of a derived channel that follow one another without a gap.
struct DerivedPiece {
  bool begins = false;              ///< there is a gap before them
  std::int64_t start = 0;           ///< tick of the first
  std::int64_t period = 0;          ///< 0: they have times
  std::vector<std::int64_t> times;  ///< ticks, of each
  std::int64_t end = 0;             ///< where they end, for averaged samples with times
  std::vector<double> values;
};

/// How the samples of a derived channel stand for time.
struct DerivedForm {
  SampleKind kind = SampleKind::instant;
  TimeBase time_base;
};
DerivedForm derived_form(const Derivation& derivation, std::span<const Trace* const> of);

/// Makes the samples of a derived channel, in order, a piece at a time: on the times of the channel
/// with the shortest spacing, where all of them have samples. Between instants another channel is
/// on the straight line, between averaged samples its mean over each interval; nothing is made
/// where any of them has a gap. A running integral stands at the instants of its channel (at both
/// ends of averaged intervals) and goes on over gaps as if nothing had flowed.
/// Throws std::invalid_argument for a derivation that cannot be.
void derive(const Derivation& derivation, std::span<const Trace* const> of,
            const std::function<void(const DerivedPiece&)>& take);

/// Stretches of any of them without usable samples, in order of time: the derived channel's too.
std::vector<FlagRun> derived_flags(std::span<const Trace* const> of);

}  // namespace kuvio
