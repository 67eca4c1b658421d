// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fcntl.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <cstdlib>
#include <string>

namespace kuvio::test {

/// A device's console on a pseudo-terminal.
struct Console {
  int master = ::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK), held = -1;
  std::string path;
  Console() {
    ::grantpt(master);
    ::unlockpt(master);
    path = ::ptsname(master);
    held = ::open(path.c_str(), O_RDWR | O_NOCTTY);
    termios raw{};
    ::tcgetattr(held, &raw);
    ::cfmakeraw(&raw);
    ::tcsetattr(held, TCSANOW, &raw);
  }
  ~Console() {
    ::close(held);
    ::close(master);
  }
  /// From any thread: Catch's assertions are for one alone.
  void print(const std::string& text) const {
    if (::write(master, text.data(), text.size()) != static_cast<ssize_t>(text.size()))
      std::abort();
  }
  std::string heard() const {
    char buffer[256];
    const ssize_t n = ::read(master, buffer, sizeof buffer);
    return n > 0 ? std::string(buffer, static_cast<std::size_t>(n)) : "";
  }
};

}  // namespace kuvio::test
