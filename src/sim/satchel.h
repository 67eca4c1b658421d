// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
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

/// A stretch of steady current (with a ripple of zero mean) of the device.
struct Stretch {
  std::string state;  ///< "Off" when nothing feeds it
  double from_s = 0, to_s = 0;
  double level_a = 0;
  double ripple_a = 0,
         ripple_hz = 0;  ///< level + ripple * sin(2 pi hz (t - from)); whole periods only

  /// Integral of the current over [a, b] inside the stretch (C).
  double charge(double a, double b) const;
};

/// The simulated device *Satchel*, a parcel logger: wakes every 60 s, senses and stores; four times
/// a day, and when told "uplink", it wakes, locates, uplinks and lingers.
///
/// Time is the bench's own (s). The device is advanced explicitly; the stretches of the past stay
/// the same. What it draws depends on build, supply voltage, commands and seed. Locate lengths
/// depend on the seed and on which fix it is, not on the build.
class Satchel {
public:
  Satchel(Firmware firmware, std::uint64_t seed);

  /// Called with device text as it is printed: bench time, uptime (s) and the line.
  std::function<void(double, double, const std::string&)> print;

  void set_voltage(double now_s, double volts);
  void power(double now_s, bool on);
  /// A line on its console: uplink, status or version; answers in its log.
  void command(double now_s, const std::string& line);
  /// Lets time pass up to `to_s`.
  void advance(double to_s);

  /// Stretches from the beginning to at least the time advanced to, without gaps.
  const std::vector<Stretch>& stretches() const { return stretches_; }
  bool powered() const { return powered_; }
  /// Current demanded at a moment already advanced to (A).
  double current_at(double t) const;

private:
  struct Task {
    std::string state;
    double seconds, level_a, ripple_a = 0, ripple_hz = 0;
    std::string line;  ///< printed as it begins
  };
  void boot(double t);
  void begin_round(bool uplink);
  void next_task();
  void push(const Task& task);
  void close_last(double t);
  void say(double t, const std::string& line);
  double jitter(double relative);
  double supply_factor(const std::string& state) const;

  Firmware firmware_;
  std::mt19937_64 random_, fixes_;
  std::vector<Stretch> stretches_;
  std::deque<Task> tasks_;
  bool powered_ = false, uplink_wanted_ = false;
  double volts_ = 3.6, now_ = 0, planned_to_ = 0, booted_ = 0, next_wake_ = 0, next_uplink_ = 0;
  double clock_ppm_ = 0;
  int wakes_ = 0, pages_ = 0, fixes_done_ = 0;
};

}  // namespace kuvio::sim
