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
  std::chrono::steady_clock::time_point arrived;  ///< when its first byte came
  std::optional<double> uptime_s;  ///< the device's own stamp, when its log carries one
  bool sent = false;
  std::string text;
};

/// Cuts a device's bytes into lines and takes its own stamps off them. A line longer than 4096
/// bytes is cut there.
class LineCutter {
public:
  explicit LineCutter(bool stamped) : stamped_(stamped) {}
  void take(std::string_view bytes, std::chrono::steady_clock::time_point when,
            std::vector<DeviceLine>& out);
  /// What is left without an end of line.
  void finish(std::vector<DeviceLine>& out);

private:
  void line_ended(std::vector<DeviceLine>& out);
  bool stamped_;
  std::string line_;
  std::chrono::steady_clock::time_point first_;
};

/// The device's own text over a serial line, both ways.
class LogInput {
public:
  /// Opens the line and begins to listen. Error (unavailable) when it cannot be opened.
  explicit LogInput(const Endpoint& endpoint);

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
