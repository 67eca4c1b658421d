// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace kuvio::book {

/// The disk a file is, or would be, on (bytes).
struct Disk {
  std::uint64_t free = 0, size = 0;
};

/// Nothing when it is not known.
std::optional<Disk> disk_of(const std::string& file);

}  // namespace kuvio::book
