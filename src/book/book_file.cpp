// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/book_file.h"

#include "core/error.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <memory>
#include <random>
#include <string_view>
#include <thread>

namespace kuvio::book {
namespace fs = std::filesystem;

namespace {

// Offsets of the SQLite database header (sqlite.org/fileformat2.html, 1.3).
constexpr std::size_t kReadVersion = 19, kUserVersion = 60, kApplication = 68;
constexpr std::int64_t kClosesCleanly = 6;  // the first version whose last closer sets the header

std::int64_t big_endian(const char* at) {
  std::uint32_t out = 0;
  for (int i = 0; i < 4; ++i) out = out << 8 | static_cast<unsigned char>(at[i]);
  return out;
}

std::string folder_of(const std::string& path) {
  const std::string folder = fs::path(path).parent_path().string();
  return folder.empty() ? "." : folder;
}

}  // namespace

FileHead file_head(const std::string& path) {
  FileHead out;
  out.size = -1;
  std::array<char, 100> head{};
  sqlite3_vfs* vfs = sqlite3_vfs_find(nullptr);
  std::string whole(static_cast<std::size_t>(vfs->mxPathname) + 1, '\0');
  // The file system's calls know it as an object without a type.
  const auto memory = std::make_unique<std::byte[]>(static_cast<std::size_t>(vfs->szOsFile));
  auto* file = reinterpret_cast<sqlite3_file*>(memory.get());
  if (vfs->xFullPathname(vfs, path.c_str(), vfs->mxPathname, whole.data()) != SQLITE_OK &&
      whole[0] == '\0')
    return out;
  int got = 0;
  if (vfs->xOpen(vfs, whole.c_str(), file, SQLITE_OPEN_READONLY | SQLITE_OPEN_MAIN_DB, &got) !=
      SQLITE_OK)
    return out;
  sqlite3_int64 size = 0;
  file->pMethods->xFileSize(file, &size);
  file->pMethods->xRead(file, head.data(), static_cast<int>(head.size()), 0);  // short: zeros
  file->pMethods->xClose(file);
  out.size = size;
  out.sqlite = std::string_view(head.data(), 15) == "SQLite format 3";
  if (size < static_cast<sqlite3_int64>(head.size())) return out;
  out.wants_log = head[kReadVersion] == 2;
  out.version = big_endian(head.data() + kUserVersion);
  out.application = big_endian(head.data() + kApplication);
  return out;
}

bool has_log(const std::string& path) {
  struct stat about {};
  return ::stat((path + "-wal").c_str(), &about) == 0 && about.st_size > 0;
}

bool misses_log(const std::string& path) {
  // Whoever opens or closes it passes through this state for a moment.
  for (int look = 0; look < 4; ++look) {
    if (look > 0) std::this_thread::sleep_for(std::chrono::milliseconds(25));
    const FileHead head = file_head(path);
    std::error_code ignored;
    if (!head.wants_log || head.version < kClosesCleanly || fs::exists(path + "-wal", ignored))
      return false;
  }
  return true;
}

bool has_foreign_log(const std::string& path) {
  for (int look = 0; look < 4; ++look) {
    if (look > 0) std::this_thread::sleep_for(std::chrono::milliseconds(25));
    const FileHead head = file_head(path);
    if (!head.sqlite || head.wants_log || head.version < kClosesCleanly || !has_log(path))
      return false;
  }
  return true;
}

std::string name_beside(const std::string& path) {
  static std::atomic<unsigned> number{0};
  std::random_device random;
  return (fs::path(folder_of(path)) /
          fmt::format(".kuvio-{}-{}-{:08x}", ::getpid(), ++number, random()))
      .string();
}

void sync_folder_of(const std::string& path) {
  const int folder = ::open(folder_of(path).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (folder < 0) return;  // one that may not be read cannot be synced
  ::fsync(folder);
  ::close(folder);
}

bool move_into_place(const std::string& from, const std::string& path) {
  int failed = ::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, path.c_str(), RENAME_NOREPLACE) == 0
                   ? 0
                   : errno;
  if (failed == EINVAL || failed == ENOSYS) {  // a file system that knows no such renaming
    failed = ::link(from.c_str(), path.c_str()) == 0 ? 0 : errno;
    if (failed == 0) ::unlink(from.c_str());
  }
  if (failed == EEXIST) return false;
  if (failed != 0)
    throw Error(Failure::cannot_create, "cannot create file", path, std::strerror(failed));
  sync_folder_of(path);
  return true;
}

}  // namespace kuvio::book
