// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/output_file.h"

#include "book/book_file.h"
#include "core/error.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>

namespace kuvio::formats {

OutputFile::OutputFile(const std::string& path) : path_(path) {
  std::error_code ignored;
  if (std::filesystem::is_directory(path, ignored)) fail(std::strerror(EISDIR));
  // A pipe or a device (/dev/stdout) is written to as it is: there is nothing to replace.
  const bool special =
      std::filesystem::exists(path, ignored) && !std::filesystem::is_regular_file(path, ignored);
  // A name of its own, which nobody else takes and no link stands under; private until it is whole.
  if (!special) half_ = book::name_beside(path);
  file_ = special
              ? ::open(path_.c_str(), O_WRONLY | O_CLOEXEC)
              : ::open(half_.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
  if (file_ < 0) {
    half_.clear();
    fail(std::strerror(errno));
  }
}

OutputFile::~OutputFile() {
  if (file_ < 0) return;
  ::close(file_);
  if (!half_.empty()) ::unlink(half_.c_str());
}

void OutputFile::fail(const std::string& why) {
  throw Error(Failure::cannot_create, "cannot write file", path_, why);
}

void OutputFile::write(std::string_view content) {
  while (!content.empty()) {
    const ssize_t n = ::write(file_, content.data(), content.size());
    if (n < 0 && errno != EINTR) fail(std::strerror(errno));
    if (n > 0) content.remove_prefix(static_cast<std::size_t>(n));
  }
}

const std::string& OutputFile::half() {
  if (half_.empty()) fail("this format cannot be written to a pipe or a device");
  return half_;
}

void OutputFile::commit() {
  if (!half_.empty()) {
    const mode_t mask = ::umask(0);
    ::umask(mask);
    if (::fchmod(file_, 0666 & ~mask) != 0 || ::fsync(file_) != 0 ||
        std::rename(half_.c_str(), path_.c_str()) != 0)
      fail(std::strerror(errno));
    book::sync_folder_of(path_);
  }
  ::close(file_);
  file_ = -1;
}

void write_file(const std::string& path, const std::string& content) {
  OutputFile file(path);
  file.write(content);
  file.commit();
}

}  // namespace kuvio::formats
