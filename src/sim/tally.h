// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device.h"

#include <random>

namespace kuvio::sim {

/// The simulated device *Tally*, a hand-held stock scanner with two ports: 0 is its cell, 1 the
/// charging cradle. It scans every few seconds; sent "cradle" it is set down and charges from the
/// cradle, then current flows back into the cell; "lift" takes it up again. It is set down by
/// itself 60 s after the cell's port came on.
class Tally : public Device {
public:
  explicit Tally(std::uint64_t seed);

  std::string name() const override { return "Tally"; }
  int ports() const override { return 2; }
  void set_voltage(double now_s, int port, double volts) override;
  void power(double now_s, int port, bool on) override;
  void set_limit(double now_s, int port, double amperes) override;
  void command(double now_s, const std::string& line) override;
  void advance(double to_s) override;
  const std::vector<Stretch>& stretches(int port) const override {
    return stretches_[port == 1 ? 1 : 0];
  }
  void cut(double t) override;
  /// Bit 0: it sits on its cradle, bit 1: its laser is on.
  unsigned lines(double t) const override;

private:
  void plan();
  void push(const std::string& state, double seconds, double system_a);
  void close_all(double t);
  void say(double t, const std::string& line);
  bool docked() const { return seated_ && powered_[1]; }

  std::mt19937_64 random_;
  std::vector<Stretch> stretches_[2];
  bool powered_[2] = {false, false};
  bool seated_ = false, announced_ = false;
  double now_ = 0, planned_to_ = 0, booted_ = 0, seat_at_ = 1e300;
  int scans_ = 0, step_ = 0;
};

}  // namespace kuvio::sim
