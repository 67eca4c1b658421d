// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device.h"

#include <random>

namespace kuvio::sim {

/// The simulated device *Perch*, a nest-box counter with two ports: 0 is its cell, 1 its solar
/// panel (played by an output). It watches its entrance, counts birds and reports every half
/// minute. Its harvester collects the panel's charge and hands it to the cell in bursts: seconds
/// apart in sun, minutes apart in shade. The cell's current flows back during a burst.
///
/// It begins in shade; the sun comes by itself 60 s after the cell's port came on. "sun" and
/// "shade" on its console change that by hand.
class Perch : public Device {
public:
  explicit Perch(std::uint64_t seed);

  /// Charge of a burst as the cell gets it (C), and the harvester's efficiency.
  static constexpr double kBurstC = 8.5e-3, kEfficiency = 0.85;

  std::string name() const override { return "Perch"; }
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
  /// Bit 0: the harvester hands a burst over, bit 1: a bird is in the entrance.
  unsigned lines(double t) const override;

private:
  void plan();
  void push(const std::string& state, double seconds, double cell_a);
  void close_all(double t);
  void say(double t, const std::string& line);
  double panel_a() const;

  std::mt19937_64 random_;
  std::vector<Stretch> stretches_[2];
  bool powered_[2] = {false, false};
  bool sun_ = false;
  double now_ = 0, planned_to_ = 0, booted_ = 0;
  double sunrise_at_ = 1e300, next_bird_ = 0, next_report_ = 0;
  double stored_c_ = 0;  // collected since the last burst, as the cell will get it
  int birds_ = 0, bursts_ = 0;
};

}  // namespace kuvio::sim
