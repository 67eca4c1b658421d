// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/book_file.h"

#include "book/door.h"
#include "core/error.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>
#include <memory>
#include <random>
#include <span>
#include <string_view>
#include <thread>
#include <utility>
#include <vector>

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

/// A database file, read by way of SQLite's own file system.
class MainFile {
public:
  explicit MainFile(const std::string& path) : vfs_(sqlite3_vfs_find(nullptr)) {
    whole_.resize(static_cast<std::size_t>(vfs_->mxPathname) + 1);
    memory_ = std::make_unique<std::byte[]>(static_cast<std::size_t>(vfs_->szOsFile));
    // The file system's calls know it as an object without a type.
    file_ = reinterpret_cast<sqlite3_file*>(memory_.get());
    if (vfs_->xFullPathname(vfs_, path.c_str(), vfs_->mxPathname, whole_.data()) != SQLITE_OK &&
        whole_[0] == '\0')
      return;
    int got = 0;
    open_ = vfs_->xOpen(vfs_, whole_.c_str(), file_, SQLITE_OPEN_READONLY | SQLITE_OPEN_MAIN_DB,
                        &got) == SQLITE_OK;
  }
  ~MainFile() {
    if (open_) file_->pMethods->xClose(file_);
  }
  MainFile(const MainFile&) = delete;
  MainFile& operator=(const MainFile&) = delete;

  bool is_open() const { return open_; }
  std::int64_t size() const {
    sqlite3_int64 size = 0;
    file_->pMethods->xFileSize(file_, &size);
    return size;
  }
  /// What lies beyond the end is zeros.
  void read(std::span<char> out, std::int64_t from) const {
    file_->pMethods->xRead(file_, out.data(), static_cast<int>(out.size()), from);
  }

private:
  sqlite3_vfs* vfs_;
  std::string whole_;
  std::unique_ptr<std::byte[]> memory_;
  sqlite3_file* file_ = nullptr;
  bool open_ = false;
};

// sqlite.org/fileformat2.html, 4: the write-ahead log.
constexpr std::size_t kLogHead = 32, kFrameHead = 24, kPageSize = 8, kLogSalts = 16, kLogSum = 24,
                      kFrameSalts = 8, kFrameSum = 16, kFrameCommits = 4;

/// The log's running checksum (4.2), in the byte order that its first word names.
class LogSum {
public:
  explicit LogSum(bool big) : big_(big) {}
  void add(std::span<const char> bytes) {
    for (std::size_t i = 0; i + 8 <= bytes.size(); i += 8) {
      a_ += word(bytes.data() + i) + b_;
      b_ += word(bytes.data() + i + 4) + a_;
    }
  }
  bool is(const char* stored) const {
    return a_ == static_cast<std::uint32_t>(big_endian(stored)) &&
           b_ == static_cast<std::uint32_t>(big_endian(stored + 4));
  }

private:
  std::uint32_t word(const char* at) const {
    const auto value = static_cast<std::uint32_t>(big_endian(at));
    return big_ ? value : __builtin_bswap32(value);
  }
  bool big_;
  std::uint32_t a_ = 0, b_ = 0;
};

/// Whether a log holds nothing but what stands in the file already. So it lies beside a closed book
/// where the machine died between folding it in and taking its name away. Read as SQLite would:
/// frames count up to the last that ends a transaction, and none from the first that is not whole.
bool is_folded_in(const std::string& path) {
  std::ifstream log(path + "-wal", std::ios::binary);
  std::array<char, kLogHead> head{};
  if (!log.read(head.data(), head.size())) return false;
  const std::int64_t page = big_endian(head.data() + kPageSize);
  const MainFile file(path);
  if (page < 512 || page > 65536 || (page & (page - 1)) != 0 || !file.is_open()) return false;
  LogSum sum((head[3] & 1) != 0);
  sum.add(std::span(head).first(kLogSum));
  if (!sum.is(head.data() + kLogSum)) return true;   // SQLite reads nothing of it
  std::map<std::int64_t, std::int64_t> last, fresh;  // of each page, where its newest version lies
  std::array<char, kFrameHead> in{};
  std::vector<char> theirs(static_cast<std::size_t>(page)), ours(theirs.size());
  for (std::int64_t at = kLogHead;; at += static_cast<std::int64_t>(kFrameHead) + page) {
    if (!log.read(in.data(), in.size()) || !log.read(theirs.data(), page)) break;
    if (std::memcmp(in.data() + kFrameSalts, head.data() + kLogSalts, 8) != 0) break;
    sum.add(std::span(in).first(8));
    sum.add(theirs);
    if (!sum.is(in.data() + kFrameSum)) break;
    fresh[big_endian(in.data())] = at + static_cast<std::int64_t>(kFrameHead);
    if (big_endian(in.data() + kFrameCommits) == 0) continue;
    for (const auto& [number, place] : fresh) last[number] = place;
    fresh.clear();
  }
  log.clear();
  for (const auto& [number, at] : last) {
    if (number < 1 || !log.seekg(at) || !log.read(theirs.data(), page)) return false;
    file.read(ours, (number - 1) * page);
    if (number == 1) {
      // What setting the header back changes: versions, the change counter, who wrote last.
      for (const auto& [from, count] : {std::pair{18, 2}, std::pair{24, 4}, std::pair{92, 8}})
        std::copy_n(ours.begin() + from, count, theirs.begin() + from);
    }
    if (ours != theirs) return false;
  }
  return true;
}

}  // namespace

FileHead file_head(const std::string& path) {
  FileHead out;
  out.size = -1;
  const MainFile file(path);
  if (!file.is_open()) return out;
  std::array<char, 100> head{};
  out.size = file.size();
  file.read(head, 0);
  out.sqlite = std::string_view(head.data(), 15) == "SQLite format 3";
  if (out.size < static_cast<std::int64_t>(head.size())) return out;
  out.wants_log = head[kReadVersion] == 2;
  out.version = big_endian(head.data() + kUserVersion);
  out.application = big_endian(head.data() + kApplication);
  return out;
}

bool has_log(const std::string& path) {
  struct stat about {};
  return ::stat((path + "-wal").c_str(), &about) == 0 && about.st_size > 0;
}

namespace {
/// What is so behind a door stays so. Without it, whoever opens the book or lets go of it passes
/// through any state for a moment, and what counts is what is seen again and again.
template <typename Is>
bool in_one_look(const Door& door, const Is& is) {
  constexpr int kLooks = 4;
  constexpr std::chrono::milliseconds kApart{25};
  for (int look = 0; look < kLooks; ++look) {
    if (look > 0) std::this_thread::sleep_for(kApart);
    if (!is(file_head(door.path()))) return false;
    if (door.is_held()) break;
  }
  return true;
}
}  // namespace

bool misses_log(const Door& door) {
  return in_one_look(door, [&](const FileHead& head) {
    std::error_code ignored;
    return head.wants_log && head.version >= kClosesCleanly &&
           !fs::exists(door.path() + "-wal", ignored);
  });
}

bool has_foreign_log(const Door& door) {
  return in_one_look(door,
                     [&](const FileHead& head) {
                       return head.sqlite && !head.wants_log && head.version >= kClosesCleanly &&
                              has_log(door.path());
                     }) &&
         !is_folded_in(door.path());
}

void make_empty_log(const std::string& path) {
  const std::string name = path + "-wal";
  struct stat book {};
  if (::stat(path.c_str(), &book) != 0) return;
  const int log = ::open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW,
                         book.st_mode & 0777);
  if (log < 0) {
    if (errno == EEXIST) return;
    throw Error(Failure::cannot_create, "cannot write book", path,
                fmt::format("its log cannot be made beside it: {}", std::strerror(errno)));
  }
  // Whoever may write the book may write its log, as SQLite has it. What cannot be set stays.
  if (::fchmod(log, book.st_mode & 0777) != 0 ||
      (::geteuid() == 0 && ::fchown(log, book.st_uid, book.st_gid) != 0)) {
  }
  ::close(log);
  sync_folder_of(path);
}

void remove_empty_log(const std::string& path) {
  struct stat about {};
  if (file_head(path).wants_log || has_log(path)) return;
  // The log last: as long as it is there, whoever comes by removes both.
  for (const char* tail : {"-shm", "-wal"}) {
    const std::string name = path + tail;
    if (::lstat(name.c_str(), &about) == 0 && S_ISREG(about.st_mode)) ::unlink(name.c_str());
  }
}

std::string folder_of(const std::string& path) {
  const std::string folder = fs::path(path).parent_path().string();
  return folder.empty() ? "." : folder;
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
