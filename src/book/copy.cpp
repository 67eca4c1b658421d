// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/copy.h"

#include "book/book_file.h"
#include "book/checksums.h"

#include <sqlite3.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <vector>

namespace kuvio::book {
namespace {

constexpr int kPages = 512;  // 8 MiB at a time

/// A read transaction on the source keeps its snapshot, so that no writer makes the copy begin
/// anew.
class Snapshot {
public:
  explicit Snapshot(const Database& db) : db_(db) {
    db_.execute("BEGIN");
    db_.prepare("SELECT count(*) FROM sqlite_schema").run();
  }
  ~Snapshot() { sqlite3_exec(db_.handle(), "COMMIT", nullptr, nullptr, nullptr); }
  Snapshot(const Snapshot&) = delete;
  Snapshot& operator=(const Snapshot&) = delete;

private:
  const Database& db_;
};

/// What nobody records into any more is not being recorded.
void settle(const Database& copy) {
  std::vector<std::int64_t> growing;
  auto rows = copy.prepare("SELECT id FROM capture WHERE phase='recording'");
  while (rows.step()) growing.push_back(rows.integer(0));
  if (growing.empty()) return;
  Transaction transaction(copy);
  for (const std::int64_t id : growing) {
    copy.prepare(
            "UPDATE capture SET phase='interrupted', end_reason='copied while it was recorded', "
            "owner='' WHERE id=?1")
        .bind_all(id)
        .run();
    seal_capture(copy, id);
  }
  transaction.commit();
}

void copy_pages(const Database& from, const Database& to, const std::string& path,
                const std::function<bool(double)>& progress) {
  const Snapshot snapshot(from);
  sqlite3_backup* backup = sqlite3_backup_init(to.handle(), "main", from.handle(), "main");
  if (!backup) fail(to.handle(), sqlite3_errcode(to.handle()), path);
  int code = SQLITE_OK;
  const auto give_up = [&] {
    sqlite3_backup_finish(backup);
    throw Error(Failure::io, "copy cancelled", path, "nothing of it was kept");
  };
  if (progress && !progress(0)) give_up();
  while ((code = sqlite3_backup_step(backup, kPages)) == SQLITE_OK) {
    const double all = sqlite3_backup_pagecount(backup);
    if (progress && !progress(1 - sqlite3_backup_remaining(backup) / std::max(1.0, all))) give_up();
  }
  sqlite3_backup_finish(backup);
  if (code != SQLITE_DONE) fail(to.handle(), code, path);
}

/// In the copy alone, which nobody else reads: what is taken out there leaves no numbers that mean
/// something else later.
void leave_deleted(const std::string& path) {
  const Book book = Book::open(path, Book::Mode::write);
  const std::set<std::int64_t> gone = book.deleted();
  if (gone.empty()) return;
  for (const std::int64_t id : gone) book.discard(id);
  book.database().execute("PRAGMA incremental_vacuum");
}

}  // namespace

void copy(const Book& book, const std::string& to, const std::function<bool(double)>& progress,
          bool without_deleted) {
  std::error_code ignored;
  const auto refuse = [&](const std::string& why) {
    throw Error(Failure::cannot_create, "cannot copy the book", to, why);
  };
  if (std::filesystem::exists(to, ignored)) refuse("there is something of that name already");
  const std::string half = name_beside(to);
  struct Remove {
    const std::string& path;
    ~Remove() {
      for (const char* tail : {"", "-wal", "-shm"}) ::unlink((path + tail).c_str());
    }
  } remove{half};
  {
    const Database target(half, Database::Access::create);
    copy_pages(book.database(), target, to, progress);
    settle(target);
  }
  if (without_deleted) leave_deleted(half);
  if (!move_into_place(half, to)) refuse("somebody made a file of that name meanwhile");
}

}  // namespace kuvio::book
