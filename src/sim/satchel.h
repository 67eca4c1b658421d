// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device.h"

#include <cstdint>
#include <deque>
#include <random>
#include <string>
#include <vector>

namespace kuvio::sim {

/// What a firmware build of the simulated parcel logger does differently.
struct Firmware {
  std::string version;
  double hibernate_a = 3.1e-6;
  double linger_s = 2.0;
};
/// 2.3.0, 2.4.0-rc1 and 2.4.0-rc2; throws std::invalid_argument for any other, naming these.
Firmware firmware(const std::string& version);

/// The simulated device *Satchel*, a parcel logger: wakes every 60 s, senses and stores; four times
/// a day, and when sent "uplink", it wakes, locates, uplinks and lingers.
///
/// Time is the bench's own (s). The device is advanced explicitly; the stretches of the past stay
/// the same. What it draws depends on build, supply voltage, commands and seed. Locate lengths
/// depend on the seed and on which fix it is, not on the build.
class Satchel : public Device {
public:
  Satchel(Firmware firmware, std::uint64_t seed);

  std::string name() const override { return "Satchel"; }
  void set_voltage(double now_s, int port, double volts) override;
  void power(double now_s, int port, bool on) override;
  void set_limit(double now_s, int port, double amperes) override;
  /// uplink, status or version.
  void command(double now_s, const std::string& line) override;
  void advance(double to_s) override;
  const std::vector<Stretch>& stretches(int = 0) const override { return stretches_; }
  void cut(double t) override;
  void pin(double now_s, Pin which, bool high) override;
  void auxiliary(double now_s, bool on) override;
  /// Bit 0: the radio is on, bit 1: the locator is.
  unsigned lines(double t) const override;
  bool powered() const { return powered_; }
  /// How often it started over because its feed held it.

private:
  struct Task {
    std::string state;
    double seconds, level_a, ripple_a = 0, ripple_hz = 0;
    std::string line;  ///< printed as it begins
  };
  void boot(double t, const std::string& why = "");
  void hold(double t);
  void begin_round(bool uplink);
  void next_task();
  void push(const Task& task);
  void brown_out(const Stretch& wanted);
  void close_last(double t);
  void say(double t, const std::string& line);
  double jitter(double relative);
  double supply_factor(const std::string& state) const;

  Firmware firmware_;
  std::mt19937_64 random_, fixes_;
  std::vector<Stretch> stretches_;
  std::deque<Task> tasks_;
  bool powered_ = false, uplink_wanted_ = false, in_reset_ = false, service_ = false;
  double volts_ = 3.6, now_ = 0, planned_to_ = 0, booted_ = 0, next_wake_ = 0, next_uplink_ = 0;
  double clock_ppm_ = 0;
  double limit_ = 1e9;
  int wakes_ = 0, pages_ = 0, fixes_done_ = 0;
};

}  // namespace kuvio::sim
