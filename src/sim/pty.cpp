// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pty.h"

#include <fcntl.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <stdexcept>

namespace kuvio::sim {

Pty::Pty() {
  master = ::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK);
  if (master < 0 || ::grantpt(master) != 0 || ::unlockpt(master) != 0)
    throw std::runtime_error("no pseudo-terminal to be had");
  std::array<char, 128> name{};
  if (::ptsname_r(master, name.data(), name.size()) != 0)
    throw std::runtime_error("ptsname failed");
  path = name.data();
  // Held open, so that the master does not see a hang-up between two recorders.
  keep_open = ::open(path.c_str(), O_RDWR | O_NOCTTY);
  termios raw{};
  ::tcgetattr(keep_open, &raw);
  ::cfmakeraw(&raw);
  ::tcsetattr(keep_open, TCSANOW, &raw);
}

Pty::~Pty() {
  if (keep_open >= 0) ::close(keep_open);
  if (master >= 0) ::close(master);
}

}  // namespace kuvio::sim
