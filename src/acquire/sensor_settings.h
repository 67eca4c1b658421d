// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

namespace kuvio::acquire {

/// A setting of a kernel sensor that its driver offers as a file, in SI units.
struct SensorSetting {
  std::string file;   ///< its name in the sensor's folder: "in_current0_integration_time"
  std::string words;  ///< for people: "integration time of current0"
  std::string unit;   ///< "s", "Hz", "Ohm"; "" for a number
  double value = 0;
  std::vector<double> choices;  ///< all that the driver takes, rising; empty: it does not say
  bool writable = false;        ///< by this user, now

  bool operator==(const SensorSetting&) const = default;
};

/// The settings of a hwmon folder or iio device, by their names in the kernel's
/// Documentation/hwmon (sysfs-interface: update_interval; ina2xx: shunt_resistor; ina3221:
/// shuntN_resistor) and ABI/testing/sysfs-bus-iio (sampling_frequency, integration_time,
/// oversampling_ratio, shunt_resistor). Those that can't be read are left out.
std::vector<SensorSetting> sensor_settings(const std::string& folder);

/// Writes one and gives back what the driver made of it, which may be another value. Error:
/// unavailable when it may not be written, bad_data when the driver refuses the value; then nothing
/// has changed.
SensorSetting set_sensor(const std::string& folder, const SensorSetting& setting, double value);

}  // namespace kuvio::acquire
