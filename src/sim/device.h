// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace kuvio::sim {

/// A stretch of steady current (with a ripple of zero mean) of a device.
struct Stretch {
  std::string state;  ///< "Off" when nothing feeds it
  double from_s = 0, to_s = 0;
  double level_a = 0;
  double ripple_a = 0,
         ripple_hz = 0;  ///< level + ripple * sin(2 pi hz (t - from)); whole periods only

  /// Integral of the current over [a, b] inside the stretch (C).
  double charge(double a, double b) const;
};

/// A simulated device under test, fed through one or more ports. Time is the bench's own (s); it is
/// advanced explicitly, and the stretches of the past stay the same.
class Device {
public:
  virtual ~Device() = default;

  /// Called with device text as it is printed: bench time, uptime (s) and the line.
  std::function<void(double, double, const std::string&)> print;

  virtual std::string name() const = 0;
  virtual int ports() const { return 1; }
  virtual void set_voltage(double now_s, int port, double volts) = 0;
  virtual void power(double now_s, int port, bool on) = 0;
  /// The current its feed holds at most; above it the voltage falls away (A).
  virtual void set_limit(double now_s, int port, double amperes) = 0;
  /// A line on its console; it answers in its log.
  virtual void command(double now_s, const std::string& line) = 0;
  /// Lets time pass up to `to_s`.
  virtual void advance(double to_s) = 0;
  /// Stretches from the beginning to at least the time advanced to, without gaps.
  virtual const std::vector<Stretch>& stretches(int port) const = 0;
  /// Takes back what was planned from `t` on, where something happened that it did not know of.
  virtual void cut(double t) = 0;
  /// Lines that the bench drives, at the device's own supply level.
  enum class Pin { reset, wake };  ///< reset is active low
  virtual void pin(double /*now_s*/, Pin /*which*/, bool /*high*/) {}
  /// Something beside its feed: whether its service port is fed.
  virtual void auxiliary(double /*now_s*/, bool /*on*/) {}
  /// Levels of its digital lines at a moment already advanced to, a bit each.
  virtual unsigned lines(double t) const = 0;
};

/// The device's mean current over [a, b], within what was advanced to (A). `cursor` remembers the
/// place for the next call.
double mean_current(const Device& device, int port, double a, double b, std::size_t& cursor);
/// Its state at t, "" if it was not advanced that far.
std::string state_at(const Device& device, int port, double t);
/// The voltage (V) that a feed of `volts` gives at t: half of it while it holds the device's
/// current.
double fed_volts(const Device& device, int port, double t, double volts);

}  // namespace kuvio::sim
