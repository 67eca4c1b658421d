// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reset_loops.h"

#include <optional>

namespace kuvio {

/// A stretch in which an output held the current at its limit.
struct LimitedStretch {
  double from_s = 0, to_s = 0;
  double mean = 0;  ///< of its samples (A): far over the limit, the limit was not in force
};

/// Watches a current for what a limit does to it: stretches held at the limit, and rounds of *held,
/// then fallen to next to nothing*, of which three make a reset loop. A device that is merely
/// held, or that draws its peaks below the limit, is neither.
class LimitWatch {
public:
  /// `limit`: of the output (A), more than nothing.
  explicit LimitWatch(double limit) : limit_(limit) {}

  /// A sample (A) at t (s); times rise.
  void sample(double t, double current);
  /// A stretch that has ended since the last call.
  std::optional<LimitedStretch> take_limited();
  /// When a round that has been seen since the last call reached the limit (s).
  std::optional<double> take_round();
  /// Once, as soon as it is certain; then every time its number of rounds has doubled.
  std::optional<ResetLoop> take_loop();

  static constexpr double kNear = 0.97;     ///< of the limit: held
  static constexpr double kNothing = 0.05;  ///< of the limit: fallen
  static constexpr double kSoon = 0.1;      ///< s within which it must fall
  static constexpr double kDown = 0.02;     ///< s that it must stay down
  static constexpr int kRounds = 3;

private:
  double limit_;
  std::optional<double> held_since_, fell_at_, round_began_;
  double held_until_ = 0, last_t_ = 0;
  int held_samples_ = 0;
  double held_sum_ = 0;
  bool counted_ = false;
  std::optional<LimitedStretch> limited_;
  std::optional<double> round_;
  ResetLoop loop_;
  int reported_ = 0;
  double first_ = 0, last_round_ = 0;
};

}  // namespace kuvio
