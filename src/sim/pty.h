// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio::sim {

/// A pseudo-terminal, raw; the bench keeps the master, the other end is what a recorder opens.
struct Pty {
  int master = -1, keep_open = -1;
  std::string path;

  /// Throws std::runtime_error when there is none to be had.
  Pty();
  ~Pty();
  Pty(const Pty&) = delete;
  Pty& operator=(const Pty&) = delete;
};

}  // namespace kuvio::sim
