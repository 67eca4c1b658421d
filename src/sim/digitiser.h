// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device.h"

#include <cstdint>
#include <string>
#include <vector>

namespace kuvio::sim {

struct DigitiserSettings {
  double rate_hz = 1000;
  int channels = 2;      ///< the current through a shunt, the voltage at the device, more rails
  double drift_ppm = 0;  ///< how much its clock is fast
  double drop = 0;       ///< share of sample frames that never leave
  double garble = 0;     ///< share of sample frames with a wrong byte in them
  double stall_at = 1e300, restart_at = 1e300;  ///< bench time (s)
  int samples_a_frame = 0;                      ///< 0: fifty frames a second
};

/// A shunt digitiser that sends the framed binary stream (docs/stream-protocol.md) on a clock of
/// its own. What it sent, dropped and garbled it remembers, for tests.
class Digitiser {
public:
  Digitiser(Device& device, std::uint64_t seed, DigitiserSettings settings);

  /// Frames up to bench time now_s, which the device must have been advanced to.
  std::string send(double now_s, double volts);
  /// Takes bytes that came from the other side (questions for its clock) and gives the answers.
  std::string take(double now_s, std::string_view bytes);
  /// A new listener: the header comes at once.
  std::string header();

  struct Truth {
    std::int64_t frames = 0, dropped = 0, garbled = 0, samples = 0, samples_lost = 0;
    struct Frame {
      std::int64_t first = 0;
      std::uint64_t checksum = 0;  ///< FNV-1a over the codes as they stand in the frame
      bool whole = true;           ///< it left, and without an error
    };
    std::vector<Frame> sent;  ///< every frame of samples of this session
    int samples_a_frame = 0;
  };
  const Truth& truth() const { return truth_; }

private:
  std::string frame(std::uint8_t type, const std::string& payload);
  std::string samples(std::int64_t first, int count, double volts);
  double code(std::int64_t index, int channel, double volts);
  double time_of(std::int64_t index) const;

  Device& device_;
  std::uint64_t seed_;
  DigitiserSettings settings_;
  std::uint32_t sequence_ = 0, session_ = 1;
  std::int64_t next_ = 0;
  double begun_ = 0, header_due_ = 0;
  std::size_t cursor_ = 0;
  std::string in_;
  std::uint64_t dice_ = 1;
  bool restarted_ = false;
  Truth truth_;
};

}  // namespace kuvio::sim
