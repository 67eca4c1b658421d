// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// Something at this computer that could be an instrument, a device's log or a sensor.
struct PluggedIn {
  enum class Kind { serial, usbtmc, sensor };
  Kind kind = Kind::serial;
  std::string path;     ///< to be opened; under a name that stays, where there is one
  std::string name;     ///< in words, printable: "FTDI TTL232R AB01", "ina226 at hwmon3"
  std::string trouble;  ///< why it cannot be opened as things are; "" when it can
};

/// What is plugged in, by the kernel's folders: serial ports (dev/serial/by-id, else dev/ttyUSB*
/// and ttyACM*), USB instruments (dev/usbtmc*, named by sys/class/usbmisc), sensors that measure a
/// current or a voltage (sys/class/hwmon, sys/bus/iio/devices). Nothing is opened and nothing sent:
/// opening a serial port can reset a board. `root` stands for the root folder, for tests.
std::vector<PluggedIn> plugged_in(const std::filesystem::path& root = "/");

/// The addresses that something plugged in can have, by what it is said to be; "" when it cannot be
/// that.
std::string address_as_instrument(const PluggedIn& what);
std::string address_as_log(const PluggedIn& what);
std::string address_as_readings(const PluggedIn& what);

}  // namespace kuvio::acquire
