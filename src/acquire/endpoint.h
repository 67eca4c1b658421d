// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>

namespace kuvio::acquire {

/// What is spoken at an address. To add one: its name here, its schemes (endpoint.cpp), and what
/// opens it (open_input).
enum class Protocol { scpi, lines, stream, log, sysfs };

/// Where an input or a log is reached, as written:
///
///     scpi+tcp://192.0.2.7:5025        scpi+serial:/dev/ttyUSB0?baud=9600    usbtmc:/dev/usbtmc0
///     lines+tcp://…  lines+serial:…    lines:/path (a pipe, or a file that grows)
///     stream+tcp://… stream+serial:…   stream:/path
///     log+serial:…   log+tcp://…       sysfs:/sys/class/hwmon/hwmon3
///
/// Options follow a question mark, `name=value` joined by `&`; %20 is a space.
struct Endpoint {
  std::string text;  ///< as written
  Protocol protocol = Protocol::scpi;
  std::string over;  ///< tcp, serial, usbtmc, file; sysfs for itself
  std::string host;  ///< for tcp
  int port = 0;
  std::string path;  ///< for the others
  std::map<std::string, std::string> options;

  std::string option(const std::string& name, const std::string& otherwise = "") const;
  /// The option `rate` in Hz: "50", or with a unit, "2 kHz". 0 when it is not given. Error (usage)
  /// when it is no rate.
  double rate_hz() const;
  bool is_log() const { return protocol == Protocol::log; }
  /// Whether what is there may have outputs, channels, lines and settings (an instrument).
  bool is_instrument() const { return protocol == Protocol::scpi; }
};

/// Throws Error (usage) that says what is wrong.
Endpoint parse_endpoint(const std::string& text);
/// An address with an option set to another value ("": without it), everything else as written.
std::string with_option(const std::string& address, const std::string& name,
                        const std::string& value);

}  // namespace kuvio::acquire
