// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/analyser.h"
#include "sim/digitiser.h"

#include <memory>
#include <optional>
#include <string>

namespace kuvio::sim {

struct BenchSettings {
  std::string device = "satchel";  ///< satchel, or perch with its two outputs
  std::string build = "2.3.0";
  std::uint64_t seed = 1;
  std::optional<std::uint64_t> instrument_seed;  ///< of the analyser's errors; nothing: as `seed`
  double speed = 1;                              ///< simulated seconds per second
  Faults faults;
  std::string truth_file;  ///< written when logging stops and at the end; "" for none
  int port = 0;            ///< 0: any free one, on loopback
  int baud = 115200;       ///< of the device log
  std::string stream;      ///< "tcp" or "serial": a shunt digitiser beside the analyser
  DigitiserSettings digitiser;
  std::string lines;  ///< "tcp", "serial" or a path (a pipe or file): a logger of text lines
  double lines_rate = 20;
  bool lines_time = true;  ///< with a time column
  bool meter = false;      ///< a bench meter on TCP
  bool serial = false;     ///< the analyser on a serial line too
  std::string sensors;     ///< a folder for a tree of kernel sensors; "" for none
  std::string joined;      ///< series, parallel; "": the analyser's outputs are apart
  bool power_on = false;   ///< the output is on from the beginning, as if left so
};

/// The simulated bench: a device and all equipment around it, one clock. Runs in one thread.
class Bench {
public:
  /// Throws std::runtime_error when a port, a PTY or a file cannot be had.
  explicit Bench(BenchSettings settings);
  ~Bench();

  /// Where everything is reached, as the JSON object that kuvio-sim prints.
  std::string endpoints() const;
  /// Serves until SIGINT or SIGTERM.
  void run();

private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

/// What really happened between the start and stop of logging, as JSON text.
std::string truth_json(const Device& device, const Analyser& analyser,
                       const BenchSettings& settings, double now_s,
                       const Digitiser* digitiser = nullptr);

}  // namespace kuvio::sim
