// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/output_file.h"

#include "core/error.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>

namespace kuvio::formats {

void write_file(const std::string& path, const std::string& content) {
  const auto refuse = [&](int code) -> Error {
    return {Failure::cannot_create, "cannot write file", path, std::strerror(code)};
  };
  std::error_code ignored;
  if (std::filesystem::is_directory(path, ignored)) throw refuse(EISDIR);
  // A pipe or a device (/dev/stdout) is written to as it is: there is nothing to replace.
  const bool special =
      std::filesystem::exists(path, ignored) && !std::filesystem::is_regular_file(path, ignored);
  const std::string beside = special ? path : path + ".part";
  const int file = ::open(beside.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  if (file < 0) throw refuse(errno);
  std::size_t done = 0;
  int failed = 0;
  while (done < content.size() && failed == 0) {
    const ssize_t n = ::write(file, content.data() + done, content.size() - done);
    if (n < 0 && errno != EINTR) failed = errno;
    if (n > 0) done += static_cast<std::size_t>(n);
  }
  if (failed == 0 && !special && ::fsync(file) != 0) failed = errno;
  ::close(file);
  if (failed == 0 && !special && std::rename(beside.c_str(), path.c_str()) != 0) failed = errno;
  if (failed != 0) {
    if (!special) ::unlink(beside.c_str());
    throw refuse(failed);
  }
}

}  // namespace kuvio::formats
