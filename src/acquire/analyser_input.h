// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/ring.h"
#include "acquire/scpi.h"

#include <atomic>
#include <chrono>
#include <mutex>
#include <optional>
#include <stop_token>
#include <string>
#include <thread>

namespace kuvio::acquire {

/// What the analyser is set to before a capture.
struct AnalyserSettings {
  double rate_hz = 1000;
  std::optional<double> voltage;        ///< V; left as it is when not given
  std::optional<double> current_limit;  ///< A
  std::optional<bool> cut_off;          ///< on over-current: true switches off, false holds
  bool record_voltage = false;          ///< log the voltage beside the current
  std::vector<std::string> logic;       ///< names of the digital lines to log, from bit 0 up
  bool power_on = false;                ///< switch the output on once recording runs
  bool power_off = false;               ///< and off when it ends
};

/// When the output was switched, in samples of the analyser's own clock.
struct SwitchReport {
  bool on = false;
  std::int64_t earliest = 0, latest = 0;
};

/// A supply or analyser that logs its current in arrays, spoken to in SCPI. Its thread fetches what
/// was logged and hands it to the recorder through a ring.
class AnalyserInput {
public:
  /// Connects, identifies and sets up; switches nothing on. Error when it cannot be reached or
  /// refuses.
  AnalyserInput(const Endpoint& endpoint, const AnalyserSettings& settings);
  ~AnalyserInput();

  const std::string& identity() const { return identity_; }
  double interval_s() const { return interval_s_; }
  std::optional<double> voltage() const { return voltage_; }
  /// Whether the output was on when Kuvio connected.
  bool found_on() const { return found_on_; }

  /// Starts logging and the thread; with power_on then switches the output on.
  void start();
  void request_stop() { thread_.request_stop(); }
  /// Asks the thread to switch the output; what became of it is among the switches or the notes.
  void request_output(bool on) { wanted_output_.store(on ? 1 : 0, std::memory_order_release); }
  /// Whether the output is on, as far as is known.
  bool output_on() const { return output_on_.load(std::memory_order_acquire); }
  /// Stops logging (and the output, when so set) and waits for the thread.
  void stop();

  SampleRing& ring() { return ring_; }
  /// Moment of sample 0 on this computer's clock.
  std::chrono::steady_clock::time_point started() const { return started_; }
  std::vector<SwitchReport> take_switches();
  /// True once the thread has ended; `failure` then says why, or nothing when it was told to.
  bool ended() const { return ended_.load(std::memory_order_acquire); }
  std::optional<std::string> failure() const;
  std::vector<std::string> take_notes();

private:
  void run(const std::stop_token& stop);
  void switch_output(bool on);
  void switch_as_asked(bool on);
  Packet fetch(std::int64_t first, std::int64_t count);
  std::int64_t logged(std::int64_t* oldest = nullptr);
  void refuse_on_error(const std::string& doing);

  std::string where_;
  Scpi scpi_;
  AnalyserSettings settings_;
  std::string identity_;
  double interval_s_ = 1e-3;
  std::optional<double> voltage_;
  bool found_on_ = false;
  SampleRing ring_;
  std::chrono::steady_clock::time_point started_;
  std::int64_t next_ = 0;
  std::atomic<bool> ended_{false}, output_on_{false};
  std::atomic<int> wanted_output_{-1};
  mutable std::mutex mutex_;  // guards what follows; held for moments only
  std::vector<SwitchReport> switches_;
  std::vector<std::string> notes_;
  std::optional<std::string> failure_;
  std::jthread thread_;
};

}  // namespace kuvio::acquire
