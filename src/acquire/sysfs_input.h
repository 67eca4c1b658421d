// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input.h"

namespace kuvio::acquire {

/// Sensors of the Linux kernel: a hwmon folder (currN_input in mA, inN_input in mV) or an iio
/// device (in_currentN_raw and _scale, in_voltageN_raw and _scale, giving mA and mV; or …_input),
/// as the kernel's Documentation/hwmon/sysfs-interface and ABI/testing/sysfs-bus-iio have them.
/// Read at a rate of ours; readings carry this computer's time.
class SysfsInput : public Input {
public:
  /// Error when the folder has no sensor of a current or a voltage.
  SysfsInput(const Endpoint& endpoint, const InputSettings& settings);
  ~SysfsInput() override { join(); }

protected:
  void run(const std::stop_token& stop) override;

private:
  struct Sensor {
    std::string file, stem;
    double scale = 1, offset = 0;  ///< SI value = (raw + offset) * scale
    bool reported = false;
  };
  void find_sensors();
  void add(const std::string& stem, const std::string& file, Quantity quantity, double scale,
           double offset);
  std::optional<double> read_sensor(Sensor& sensor);

  double rate_hz_ = 10;
  std::vector<Sensor> sensors_;
};

}  // namespace kuvio::acquire
