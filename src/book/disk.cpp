// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/disk.h"

#include <sys/statvfs.h>

namespace kuvio::book {

std::optional<Disk> disk_of(const std::string& file) {
  struct statvfs disk {};
  const auto slash = file.rfind('/');
  const std::string folder = slash == std::string::npos ? "." : file.substr(0, slash + 1);
  if (::statvfs(folder.c_str(), &disk) != 0) return std::nullopt;
  return Disk{static_cast<std::uint64_t>(disk.f_bavail) * disk.f_frsize,
              static_cast<std::uint64_t>(disk.f_blocks) * disk.f_frsize};
}

}  // namespace kuvio::book
