// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/endpoint.h"
#include "acquire/heard_lines.h"
#include "acquire/profile.h"
#include "acquire/talk_log.h"

#include <map>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// What an output is never to be set above, whoever asks: what it feeds may not bear more.
struct Ceiling {
  std::optional<double> voltage;  ///< V
  std::optional<double> current;  ///< A, of the current limit

  bool any() const { return voltage || current; }
  /// Why a value may not be set, in words; "" where it may. Equal to the ceiling is not above it.
  std::string refuses_voltage(double volts) const;
  std::string refuses_current(double amperes) const;
};

/// What an output is to be set to before a capture; what is not given is left as it is.
struct OutputSettings {
  std::optional<double> voltage;        ///< V
  std::optional<double> current_limit;  ///< A
  std::optional<bool> cut_off;          ///< on over-current: true switches off, false holds
  Ceiling never_above;
  bool power_on = false;        ///< switch it on once recording runs
  double on_after_s = 0;        ///< and so long after that, in the instrument's own time
  bool power_off = false;       ///< and off when it ends
  bool off_on_failure = false;  ///< off when the capture ends in a way nobody wanted
};

/// How an input is set up before a capture.
struct InputSettings {
  double rate_hz = 1000;
  /// Of what the input can deliver, by name; empty: its currents alone.
  std::vector<std::string> channels;
  std::vector<std::string> logic;            ///< names of the digital lines to log, from bit 0 up
  std::map<std::string, std::string> range;  ///< by channel; "" and missing: automatic
  std::map<std::string, OutputSettings> outputs;  ///< by name; "": the first one
  std::map<std::string, bool> lines;              ///< digital lines it drives: true is high
  std::optional<double> line_level;               ///< V that high means
  std::vector<Profile> profiles;                  ///< to choose from, besides those that ship
  double reconnect_s = 0;           ///< how long a lost link is tried again; 0: it ends the input
  std::shared_ptr<TalkLog> talk{};  ///< keeps what is said on an instrument's wire
  std::shared_ptr<HeardLines> heard{};  ///< keeps the last lines of numbers that came
  std::stop_token stop;                 ///< heard while it is being opened
};

/// An input and how it is set up.
struct InputConfig {
  Endpoint endpoint;
  InputSettings settings;
};

}  // namespace kuvio::acquire
