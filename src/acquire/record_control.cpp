// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/record_control.h"

#include "acquire/host_clock.h"

#include <utility>

namespace kuvio::acquire {

void RecordControl::send(const std::string& line) {
  const std::lock_guard lock(mutex_);
  lines_.push_back(line);
}
void RecordControl::execute(const SwitchCommand& what) {
  const std::lock_guard lock(mutex_);
  commands_.push_back(what);
}
void RecordControl::mark(const std::string& text) {
  const std::lock_guard lock(mutex_);
  marks_.push_back({host_now_s(), text});
}
void RecordControl::begin_now() {
  const std::lock_guard lock(mutex_);
  begin_ = true;
}
std::vector<std::string> RecordControl::take_lines() {
  const std::lock_guard lock(mutex_);
  return std::exchange(lines_, {});
}
std::vector<SwitchCommand> RecordControl::take_commands() {
  const std::lock_guard lock(mutex_);
  return std::exchange(commands_, {});
}
std::vector<RecordControl::Mark> RecordControl::take_marks() {
  const std::lock_guard lock(mutex_);
  return std::exchange(marks_, {});
}
bool RecordControl::take_begin() {
  const std::lock_guard lock(mutex_);
  return std::exchange(begin_, false);
}

}  // namespace kuvio::acquire
