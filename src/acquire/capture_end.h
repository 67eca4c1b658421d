// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <limits>
#include <optional>
#include <string>

namespace kuvio::acquire {

/// Ends a capture once so much charge has flown, in either direction.
class ChargeEnd {
public:
  /// `coulombs`: 0 for never.
  explicit ChargeEnd(double coulombs) : wanted_c_(coulombs) {}

  bool wanted() const { return wanted_c_ > 0; }
  double charge_c() const { return charge_c_; }
  /// A sample at t of the capture, one after the other: a value (A) that stands for `step_s` from
  /// there on; `step_s` 0: for the time since the sample before. No value: it is no data, and its
  /// time counts for nothing. Where the charge is reached (s): at the end of the sample's time.
  std::optional<double> sample(double t, double step_s, std::optional<double> amperes) {
    const double dt = step_s > 0 ? step_s : t - before_s_;
    before_s_ = t;
    if (amperes) charge_c_ += *amperes * dt;
    if (!wanted() || std::fabs(charge_c_) < wanted_c_) return std::nullopt;
    return t + step_s;
  }

private:
  double wanted_c_, charge_c_ = 0, before_s_ = 0;
};

/// Where a capture ends, as far as is known, and why; only ever earlier.
class CaptureEnd {
public:
  static constexpr double kNever = std::numeric_limits<double>::infinity();

  /// `seconds`: 0 for when it is stopped.
  explicit CaptureEnd(double seconds) : at_s_(seconds > 0 ? seconds : kNever) {}

  double at_s() const { return at_s_; }
  bool known() const { return std::isfinite(at_s_); }
  /// What to call the end when it is reached.
  const std::string& reason() const { return reason_; }
  /// Ends at t (s), unless it ends before that anyway.
  void bring_forward(double t, const std::string& reason) {
    if (t >= at_s_) return;
    at_s_ = t;
    reason_ = reason;
  }

private:
  double at_s_;
  std::string reason_ = "complete";
};

}  // namespace kuvio::acquire
