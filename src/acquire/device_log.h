// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/link.h"

#include <chrono>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

namespace kuvio::acquire {

/// A line the device printed, or one that was sent to it.
struct DeviceLine {
  double arrived_s = 0;            ///< when its first byte began to come (host_clock.h)
  std::optional<double> uptime_s;  ///< the device's own stamp, when its log carries one
  bool sent = false;
  std::string text;
};

/// Cuts a device's bytes into lines and takes its own stamps off them. A line longer than 4096
/// bytes is cut there.
class LineCutter {
public:
  /// `byte_s`: how long a byte is on its way; 0 when that is not known.
  explicit LineCutter(bool stamped, double byte_s = 0) : stamped_(stamped), byte_s_(byte_s) {}
  /// Bytes, the last of which has come at `now_s`.
  void take(std::string_view bytes, double now_s, std::vector<DeviceLine>& out);
  /// What is left without an end of line.
  void finish(std::vector<DeviceLine>& out);

private:
  void line_ended(std::vector<DeviceLine>& out);
  bool stamped_;
  std::string line_;
  double byte_s_ = 0, first_s_ = 0;
};

/// The device's own text over a serial line or TCP, both ways.
class DeviceLog {
public:
  /// Opens the line and begins to listen. Error (unavailable) when it cannot be opened.
  explicit DeviceLog(const Endpoint& endpoint);

  /// Queues a line to be sent to the device.
  void send(const std::string& line);
  std::vector<DeviceLine> take();
  void stop();
  std::optional<std::string> failure() const;

private:
  void run(const std::stop_token& stop);

  std::unique_ptr<Link> link_;
  LineCutter cutter_;
  mutable std::mutex mutex_;  // guards what follows; held for moments only
  std::vector<DeviceLine> lines_;
  std::vector<std::string> outgoing_;
  std::optional<std::string> failure_;
  std::jthread thread_;
};

}  // namespace kuvio::acquire
