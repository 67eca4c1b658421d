// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <deque>
#include <optional>

namespace kuvio {

/// Says when a quantity has settled: the means of the eighths of the last `window_s` seconds lie
/// no further apart than a tolerance. Noise that averages out over an eighth does not count, a
/// drift does.
class SteadyWatch {
public:
  /// `relative`: of the window's mean; `absolute`: in the quantity's unit. The larger one counts.
  SteadyWatch(double window_s, double relative, double absolute);

  /// Samples in order of time (s). A piece of the window without a sample begins it anew.
  void add(double t, double value);

  /// Greatest less least of the eighths' means; nothing before a whole window was seen.
  std::optional<double> spread() const;
  /// Of the last whole window.
  std::optional<double> mean() const;
  bool steady() const;
  double window_s() const { return window_s_; }

private:
  static constexpr std::size_t kPieces = 8;
  double window_s_, relative_, absolute_;
  std::deque<double> means_;  // of whole pieces, at most kPieces
  std::int64_t piece_ = 0;    // the one being filled
  double sum_ = 0;
  std::int64_t count_ = 0;
  bool any_ = false;
  bool from_its_start_ = false;  // a piece that was joined midway is no eighth of the window
};

}  // namespace kuvio
