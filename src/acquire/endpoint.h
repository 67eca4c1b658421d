// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>

namespace kuvio::acquire {

/// Where an input or a log is reached, as written: "scpi+tcp://127.0.0.1:5025",
/// "log+serial:/dev/ttyUSB1?baud=115200".
struct Endpoint {
  std::string text;    ///< as written
  std::string speaks;  ///< scpi, log
  std::string over;    ///< tcp, serial
  std::string host;    ///< for tcp
  int port = 0;
  std::string path;  ///< for serial
  /// baud; stamped=uptime: lines begin with the device's own [seconds]; time_scale: of a simulated
  /// bench.
  std::map<std::string, std::string> options;
};

/// Throws Error (usage) that says what is wrong or not supported yet.
Endpoint parse_endpoint(const std::string& text);

}  // namespace kuvio::acquire
