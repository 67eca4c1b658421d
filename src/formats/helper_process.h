// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <sys/types.h>

#include <cstddef>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::formats {

/// A program of ours beside this one, read from until it ends. It is killed when this goes, when
/// the stop is asked for, and when it says nothing for a minute.
class HelperProcess {
public:
  /// `program` lies where this program does, or in libexec/kuvio beside its folder. Error
  /// unavailable where it is not there or cannot be started.
  HelperProcess(const std::string& program, const std::vector<std::string>& arguments,
                std::stop_token stop);
  ~HelperProcess();
  HelperProcess(const HelperProcess&) = delete;
  HelperProcess& operator=(const HelperProcess&) = delete;

  /// The next line without its end; nothing at the end of what it says. Error bad_data for a line
  /// that is too long, unavailable for silence, io when asked to stop.
  std::optional<std::string> line();
  /// Exactly so many bytes. Error bad_data where it ends before.
  void bytes(void* into, std::size_t count);
  /// How it ended, for people: "" when by itself and well.
  std::string ended();

private:
  bool fill();
  void kill();

  std::string program_;
  std::stop_token stop_;
  pid_t pid_ = -1;
  int from_ = -1;
  std::vector<char> buffer_;
  std::size_t at_ = 0, have_ = 0;
  std::optional<int> status_;
};

}  // namespace kuvio::formats
