// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/analyser.h"

#include <memory>
#include <string>

namespace kuvio::sim {

struct BenchSettings {
  std::string build = "2.3.0";
  std::uint64_t seed = 1;
  double speed = 1;  ///< simulated seconds per second
  Faults faults;
  std::string truth_file;  ///< written when logging stops and at the end; "" for none
  int port = 0;            ///< 0: any free one, on loopback
};

/// The simulated bench: device, analyser on TCP, device log on a PTY, one clock. Runs in one
/// thread.
class Bench {
public:
  /// Throws std::runtime_error when the port or the PTY cannot be had.
  explicit Bench(BenchSettings settings);
  ~Bench();

  /// "scpi+tcp://127.0.0.1:40123"
  std::string scpi_uri() const;
  /// "log+serial:/dev/pts/4?baud=115200", with &stamped=uptime&time_scale=… when time runs faster
  /// than real time.
  std::string log_uri() const;
  /// Serves until SIGINT or SIGTERM.
  void run();

private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

/// What really happened between the start and stop of logging, as JSON text.
std::string truth_json(const Satchel& device, const Analyser& analyser,
                       const BenchSettings& settings, double now_s);

}  // namespace kuvio::sim
