// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <utility>

namespace kuvio::acquire {

/// Something to be switched at an input while it runs: an output, a digital line that it drives, or
/// the device's reset by either of them.
struct SwitchCommand {
  enum class What { output, line, reset_by_output, reset_by_line };
  What what = What::output;
  std::string name;  ///< of an output or line; "": the first output, and for off all of them
  bool on = false;   ///< on or high; of a reset: what the device is reset with
  double for_s = 0;  ///< of a reset: how long it is held (s)

  bool of_line() const { return what == What::line || what == What::reset_by_line; }
  bool is_reset() const { return what == What::reset_by_output || what == What::reset_by_line; }
};

/// An output switched; "": the first one, and for off all of them.
inline SwitchCommand output_switched(bool on, std::string name = "") {
  return {SwitchCommand::What::output, std::move(name), on, 0};
}

/// What lets go of a reset again: the output on, the line at its other level.
SwitchCommand released(const SwitchCommand& reset);

/// How a device is reset: "line RST low for 100 ms", "output off for 1 s", "output aux off for 1
/// s". Throws std::invalid_argument that says how it is written; at most a minute.
SwitchCommand parse_reset(const std::string& text);
/// The same in words, as it is parsed.
std::string to_string(const SwitchCommand& reset);

/// A digital line's level as it is written: "RST=high". Throws std::invalid_argument.
SwitchCommand parse_line_level(const std::string& text);

}  // namespace kuvio::acquire
