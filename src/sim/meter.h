// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device.h"

#include <cstdint>
#include <deque>
#include <string>
#include <string_view>

namespace kuvio::sim {

/// A bench meter in the device's supply line: fills a memory with readings, given out as text,
/// oldest first. Speaks SCPI of another dialect than the analyser.
class Meter {
public:
  Meter(Device& device, std::uint64_t seed) : device_(device), seed_(seed * 17 + 3) {}
  std::string command(double now_s, std::string_view message);

private:
  std::string one(double now_s, const std::string& header, const std::string& argument);
  std::string reading(std::int64_t index);
  std::int64_t taken(double now_s) const;

  Device& device_;
  std::uint64_t seed_;
  double interval_ = 0.01, start_ = -1;
  bool running_ = false;
  std::int64_t given_ = 0, until_ = 0;
  std::size_t cursor_ = 0;
  std::deque<std::string> errors_;
};

/// A logger that prints lines of text: "t [ms],I [mA],U [V]".
class TextLogger {
public:
  TextLogger(Device& device, std::uint64_t seed, double rate_hz, bool with_time)
      : device_(device), seed_(seed * 13 + 1), interval_(1 / rate_hz), with_time_(with_time) {}
  std::string header() const;
  /// Lines up to bench time now_s.
  std::string send(double now_s, double volts);
  std::int64_t lines() const { return next_; }

private:
  Device& device_;
  std::uint64_t seed_;
  double interval_;
  bool with_time_;
  std::int64_t next_ = 0;
  std::size_t cursor_ = 0;
};

/// Sensors as the kernel shows them: hwmon0 and iio0 folders of small files in a tree.
class SensorTree {
public:
  /// Makes the tree. Throws std::runtime_error when it cannot.
  explicit SensorTree(std::string folder);
  void show(double amperes, double volts) const;
  std::string hwmon() const { return folder_ + "/hwmon0"; }
  std::string iio() const { return folder_ + "/iio0"; }

private:
  void write(const std::string& name, const std::string& text) const;
  std::string folder_;
};

}  // namespace kuvio::sim
