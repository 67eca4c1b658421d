// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/switch_command.h"

#include <mutex>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// A line to be sent to the device once the capture has got so far.
struct ScheduledLine {
  double at_s = 0;
  std::string text;
};

/// What may be asked of a running recording from another thread.
class RecordControl {
public:
  /// A line to be sent to the device as soon as can be.
  void send(const std::string& line);
  void execute(const SwitchCommand& what);
  /// A mark at the moment it is asked for, with a note.
  void mark(const std::string& text);
  /// An armed recording begins at once.
  void begin_now();

  struct Mark {
    double host_s = 0;
    std::string text;
  };
  std::vector<std::string> take_lines();
  std::vector<SwitchCommand> take_commands();
  std::vector<Mark> take_marks();
  bool take_begin();

private:
  std::mutex mutex_;  // held for moments only
  std::vector<std::string> lines_;
  std::vector<SwitchCommand> commands_;
  std::vector<Mark> marks_;
  bool begin_ = false;
};

}  // namespace kuvio::acquire
