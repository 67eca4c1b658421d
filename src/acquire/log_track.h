// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/device_log.h"
#include "acquire/record_control.h"
#include "book/capture_writer.h"

#include <deque>
#include <functional>
#include <span>
#include <vector>

namespace kuvio::acquire {

/// The device's log within a recording: its lines, laid on the capture's axis.
///
/// Lines stand where they arrived. A log that carries the device's uptime is laid on the axis by
/// the moment the device got power: the first rise of the current after its output was switched
/// on; until that is known, lines are held.
class LogTrack {
public:
  explicit LogTrack(const Endpoint& endpoint) : log_(endpoint) {}

  DeviceLog& log() { return log_; }
  void write_to(book::CaptureWriter& writer) { writer_ = &writer; }
  /// Whether the output will be switched on within this capture.
  void set_expects_power(bool expects) { expects_power_ = expects; }
  /// Lines to be sent to the device once the capture has got so far.
  void schedule(std::vector<ScheduledLine> lines);
  /// Sends those whose time has come.
  void send_due(double recorded_s);
  /// Called with every line as it is placed.
  std::function<void(const book::LogLine&)> placed;
  /// Where a moment of this computer lies on the capture's axis.
  std::function<double(double)> axis_of_host;

  void drain(double until_s);
  /// The output was switched on within [earliest, latest] of the capture (s).
  void power_came(double earliest_s, double latest_s);
  /// Samples of the current, `step_s` apart from `from_s` on.
  void watch_current(double from_s, double step_s, std::span<const double> values);
  /// What is still held is placed as well as can be.
  void finish(double until_s);
  std::vector<std::string> take_notes() { return std::exchange(notes_, {}); }
  std::int64_t lines() const { return lines_; }

private:
  void anchor(double t);
  /// For a device that was running before: the arrival of its first lines is all there is.
  void align_to_arrival(std::span<const DeviceLine> lines);
  void place(const DeviceLine& line, double time_s, double until_s);
  void place_held(double until_s);

  DeviceLog log_;
  book::CaptureWriter* writer_ = nullptr;
  bool expects_power_ = false, watching_ = false;
  std::optional<double> boot_at_;
  std::optional<std::pair<double, double>> power_;
  struct Seen {
    double from_s = 0, step_s = 0;
    std::vector<double> values;
  };
  Seen last_;  // samples may have come before the report of the switch
  std::vector<DeviceLine> held_;
  std::deque<ScheduledLine> scheduled_;
  std::vector<std::string> notes_;
  std::int64_t lines_ = 0;
};

}  // namespace kuvio::acquire
