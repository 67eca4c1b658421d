// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/sqlite.h"

#include "book/book_file.h"
#include "book/text.h"

#include <fcntl.h>
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <filesystem>
#include <mutex>
#include <stop_token>
#include <thread>

namespace kuvio::book {

void fail(sqlite3* db, int code, const std::string& where) {
  const std::string why = db ? sqlite3_errmsg(db) : sqlite3_errstr(code);
  switch (code & 0xff) {
    case SQLITE_NOTADB:
      throw Error(Failure::bad_data, "not a Kuvio book", where, "it is not an SQLite file");
    case SQLITE_CORRUPT:
    case SQLITE_CONSTRAINT:  // rows that belong to nothing
    case SQLITE_MISMATCH:
      throw Error(Failure::bad_data, "damaged book", where, why + "; run kuvio-cli verify");
    case SQLITE_TOOBIG:
      throw Error(Failure::bad_data, "damaged book", where,
                  "one of its values is longer than " + std::to_string(kMostValue >> 20) +
                      " MB; run kuvio-cli verify");
    case SQLITE_FULL:
      throw Error(Failure::io, "disk full", where, "what was written before is kept");
    case SQLITE_BUSY:
      throw Error(Failure::io, "book is busy", where,
                  "another program is writing to it; try again");
    case SQLITE_READONLY:
    case SQLITE_PERM:
    case SQLITE_AUTH:
      throw Error(Failure::cannot_create, "cannot write book", where, why);
    case SQLITE_CANTOPEN:
      throw Error(Failure::io, "cannot open book", where, why);
    default:
      throw Error(Failure::io, "book error", where, why);
  }
}

void Statement::Finalize::operator()(sqlite3_stmt* s) const { sqlite3_finalize(s); }

Statement::Statement(sqlite3* db, std::string_view sql, std::string where)
    : db_(db), where_(std::move(where)) {
  sqlite3_stmt* raw = nullptr;
  const int code = sqlite3_prepare_v2(db, sql.data(), static_cast<int>(sql.size()), &raw, nullptr);
  stmt_.reset(raw);
  check(code);
}

void Statement::check(int code) const {
  if (code != SQLITE_OK && code != SQLITE_ROW && code != SQLITE_DONE) fail(db_, code, where_);
}

Statement& Statement::bind(int at, std::int64_t value) {
  check(sqlite3_bind_int64(stmt_.get(), at, value));
  return *this;
}
Statement& Statement::bind(int at, double value) {
  check(sqlite3_bind_double(stmt_.get(), at, value));
  return *this;
}
Statement& Statement::bind(int at, std::string_view text) {
  check(sqlite3_bind_text(stmt_.get(), at, text.data(), static_cast<int>(text.size()),
                          SQLITE_TRANSIENT));
  return *this;
}
Statement& Statement::bind(int at, std::span<const std::byte> blob) {
  if (blob.empty()) {
    check(sqlite3_bind_zeroblob(stmt_.get(), at, 0));
  } else {
    check(sqlite3_bind_blob64(stmt_.get(), at, blob.data(), blob.size(), SQLITE_TRANSIENT));
  }
  return *this;
}
bool Statement::step() {
  const int code = sqlite3_step(stmt_.get());
  if (code == SQLITE_ROW) return true;
  if (code != SQLITE_DONE) {
    sqlite3_reset(stmt_.get());
    check(code);
  }
  check(sqlite3_reset(stmt_.get()));
  return false;
}

void Statement::run() {
  while (step()) {
  }
}

std::int64_t Statement::integer(int column) const {
  return sqlite3_column_int64(stmt_.get(), column);
}
double Statement::real(int column) const { return sqlite3_column_double(stmt_.get(), column); }
std::string Statement::text(int column) const {
  const auto* data = reinterpret_cast<const char*>(sqlite3_column_text(stmt_.get(), column));
  if (!data) return {};
  return {data, static_cast<std::size_t>(sqlite3_column_bytes(stmt_.get(), column))};
}
int Statement::columns() const { return sqlite3_column_count(stmt_.get()); }
char Statement::kind(int column) const {
  switch (sqlite3_column_type(stmt_.get(), column)) {
    case SQLITE_INTEGER:
      return 'i';
    case SQLITE_FLOAT:
      return 'r';
    case SQLITE_TEXT:
      return 't';
    case SQLITE_BLOB:
      return 'b';
    default:
      return '0';
  }
}
bool Statement::is_null(int column) const {
  return sqlite3_column_type(stmt_.get(), column) == SQLITE_NULL;
}
std::span<const std::byte> Statement::blob(int column) const {
  const auto* data = static_cast<const std::byte*>(sqlite3_column_blob(stmt_.get(), column));
  return {data, data ? static_cast<std::size_t>(sqlite3_column_bytes(stmt_.get(), column)) : 0};
}

void Database::Close::operator()(sqlite3* db) const { sqlite3_close_v2(db); }

namespace {

void run(sqlite3* db, const char* sql) { sqlite3_exec(db, sql, nullptr, nullptr, nullptr); }

/// Whether SQLite, closing a file as the last to have it open, folds the log in and removes it. It
/// does not set the header back: the book would then ask for a log that nobody has.
void fold_on_close(sqlite3* db, bool on) {
  sqlite3_db_config(db, SQLITE_DBCONFIG_NO_CKPT_ON_CLOSE, on ? 0 : 1, nullptr);
}

/// Leaves the write-ahead log: folded in, and the header set back. Quietly does nothing while
/// anybody else has the file open. The rollback journal of that one write stays in memory: only
/// bytes of one sector change, and no second file is ever needed.
void leave_log(sqlite3* db) {
  sqlite3_busy_timeout(db, 0);
  run(db, "PRAGMA journal_mode=MEMORY");
}

/// Leaves the log, and removes what lay beside the book once the header no longer asks for it.
/// Behind the book's door.
void leave_one_file(sqlite3* db, const std::string& path) {
  int keep = 1;
  sqlite3_file_control(db, "main", SQLITE_FCNTL_PERSIST_WAL, &keep);
  run(db, "PRAGMA journal_size_limit=0");  // what is kept of it is empty
  leave_log(db);
  if (file_head(path).wants_log || sqlite3_exec(db, "BEGIN EXCLUSIVE", nullptr, nullptr, nullptr))
    return;  // somebody has it open, and lets go of it later
  remove_empty_log(path);
  run(db, "ROLLBACK");
}

// Writers of one book take turns; on a loaded machine eight before one take their time. Whoever
// only reads waits for a moment at most, as nobody holds that lock for longer.
constexpr int kWriterMs = 20000, kReaderMs = 5000;

/// Takes a lock by `sql`. Where two want more than the share each of them holds, SQLite asks no
/// busy handler and gives up at once: whoever lost tries again.
void take_lock(sqlite3* db, const char* sql, const std::string& where) {
  using Clock = std::chrono::steady_clock;
  const auto until = Clock::now() + std::chrono::milliseconds(kWriterMs);
  int code = SQLITE_OK;
  while ((code = sqlite3_exec(db, sql, nullptr, nullptr, nullptr)) != SQLITE_OK) {
    if ((code & 0xff) != SQLITE_BUSY || Clock::now() > until) fail(db, code, where);
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
}

bool is_there(const std::string& path) { return ::access(path.c_str(), F_OK) == 0; }

/// A reader cannot do it: what it leaves behind, a writer for a moment does.
void fold(const std::string& path) {
  if (::access(path.c_str(), R_OK | W_OK) != 0) return;
  sqlite3* raw = nullptr;
  if (sqlite3_open_v2(path.c_str(), &raw, SQLITE_OPEN_READWRITE | SQLITE_OPEN_NOMUTEX, nullptr) ==
      SQLITE_OK) {
    fold_on_close(raw, false);
    leave_one_file(raw, path);
  }
  sqlite3_close_v2(raw);
}

}  // namespace

Database::Name::~Name() {
  if (at >= 0) ::close(at);
}

Database::~Database() {
  if (!db_ || !in_file_ || alone_) return;
  const Door door(path_);
  if (has_moved()) {
    fold_on_close(db_.get(), true);  // its log is another name's by now
    db_.reset();
    return;
  }
  if (access_ != Access::read) leave_one_file(db_.get(), path_);
  db_.reset();
  if (is_there(path_ + "-wal")) fold(path_);
}

bool Database::is_deleted() const {
  struct stat about {};
  return name_.at >= 0 && ::fstat(name_.at, &about) == 0 && about.st_nlink == 0;
}

void Database::let_go_of_log() const {
  // SQLite removes it by its name: where a book in our place has one open, that is another's.
  if (!file_head(path_).wants_log) leave_log(db_.get());
}

bool Database::has_moved() const {
  int moved = 0;
  if (!in_file_ ||
      sqlite3_file_control(db_.get(), "main", SQLITE_FCNTL_HAS_MOVED, &moved) != SQLITE_OK)
    return false;
  return moved != 0;
}

Database::Database(const std::string& path, Access access) : path_(path), access_(access) {
  if (access == Access::create) {
    open(nullptr);
  } else {
    Door door(path);
    open(&door);
  }
}

Database::Database(Door door, Access access, bool alone)
    : path_(door.path()), access_(access), alone_(alone && access == Access::read) {
  open(&door);
}

void Database::open(Door* door) {
  const Access access = access_;
  const std::string& path = path_;
  if (access != Access::read && is_there(path + "-journal")) {
    throw Error(
        Failure::bad_data, "a journal lies beside the book", path,
        "no book of Kuvio's has one, and it could change files that are not the book: move " +
            path + "-journal away");
  }
  sqlite3* raw = nullptr;
  const int flags = access == Access::read    ? SQLITE_OPEN_READONLY
                    : access == Access::write ? SQLITE_OPEN_READWRITE
                                              : SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE;
  int code = sqlite3_open_v2(path.c_str(), &raw, flags | SQLITE_OPEN_NOMUTEX, nullptr);
  db_.reset(raw);
  if (code != SQLITE_OK) fail(raw, code, path);
  in_file_ = path != ":memory:";
  if (access != Access::read) name_.at = ::open(path.c_str(), O_PATH | O_CLOEXEC);
  // A book in a folder that cannot be written to has no place for the log's index. Without a log
  // the file cannot change under us, and is read as it is.
  if (access == Access::read && is_there(path) && !is_there(path + "-wal")) {
    const std::string folder = std::filesystem::path(path).parent_path().string();
    if (alone_ || ::access(folder.empty() ? "." : folder.c_str(), W_OK) != 0) {
      std::string uri = "file:";
      for (const char c : path)
        uri += c == '?' ? "%3f" : c == '#' ? "%23" : c == '%' ? "%25" : std::string(1, c);
      db_.reset();
      code = sqlite3_open_v2((uri + "?immutable=1").c_str(), &raw,
                             flags | SQLITE_OPEN_URI | SQLITE_OPEN_NOMUTEX, nullptr);
      db_.reset(raw);
      if (code != SQLITE_OK) fail(raw, code, path);
    }
  }
  sqlite3_extended_result_codes(raw, 1);
  sqlite3_busy_timeout(raw, access == Access::read ? kReaderMs : kWriterMs);
  sqlite3_limit(raw, SQLITE_LIMIT_LENGTH, kMostValue);
  fold_on_close(raw, false);
  // An untrusted book must not be able to run anything.
  sqlite3_db_config(raw, SQLITE_DBCONFIG_DEFENSIVE, 1, nullptr);
  sqlite3_db_config(raw, SQLITE_DBCONFIG_TRUSTED_SCHEMA, 0, nullptr);
  sqlite3_db_config(raw, SQLITE_DBCONFIG_ENABLE_TRIGGER, 0, nullptr);
  sqlite3_db_config(raw, SQLITE_DBCONFIG_ENABLE_VIEW, 0, nullptr);
  execute("PRAGMA cell_size_check=ON; PRAGMA mmap_size=0; PRAGMA secure_delete=OFF;");
  if (access == Access::create) execute("PRAGMA page_size=16384; PRAGMA auto_vacuum=INCREMENTAL;");
  if (access != Access::read) {
    execute("PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON;");
    if (access == Access::create) take_lock(raw, "PRAGMA journal_mode=MEMORY", path);
    if (access == Access::write) use_log(*door);
    // Set last: it takes the place of SQLite's own checkpointing after each commit.
    sqlite3_wal_hook(
        raw,
        [](void* pages, sqlite3*, const char*, int count) {
          *static_cast<std::int64_t*>(pages) = count;
          return SQLITE_OK;
        },
        wal_pages_.get());
  }
  // From its first read on it counts among those who have the book open. What cannot be read is
  // somebody else's to report.
  if (in_file_ && access != Access::create) run(raw, "PRAGMA schema_version");
}

/// Into the log by way of no journal on the disk. Where somebody else has it open it is in the log
/// already.
void Database::use_log(Door& door) {
  using Clock = std::chrono::steady_clock;
  const auto until = Clock::now() + std::chrono::milliseconds(kWriterMs);
  sqlite3_busy_timeout(db_.get(), 0);
  const auto switch_over = [&] {
    int code = SQLITE_OK;
    if (!file_head(path_).wants_log) {
      make_empty_log(path_);
      code = sqlite3_exec(db_.get(), "PRAGMA journal_mode=MEMORY", nullptr, nullptr, nullptr);
    }
    if (code == SQLITE_OK)
      code = sqlite3_exec(db_.get(), "PRAGMA journal_mode=WAL", nullptr, nullptr, nullptr);
    return code;
  };
  int code = SQLITE_OK;
  while ((code = switch_over()) != SQLITE_OK) {
    if ((code & 0xff) != SQLITE_BUSY || Clock::now() > until) fail(db_.get(), code, path_);
    door.step_aside();  // a reader is at it, and may want to go
  }
  sqlite3_busy_timeout(db_.get(), kWriterMs);
}

void Database::execute(const std::string& sql) const {
  const int code = sqlite3_exec(db_.get(), sql.c_str(), nullptr, nullptr, nullptr);
  if (code != SQLITE_OK) fail(db_.get(), code, path_);
}

void Database::read_blob(const char* table, const char* column, std::int64_t row,
                         std::int64_t offset, std::span<std::byte> out) const {
  sqlite3_blob* handle = nullptr;
  // An open handle pins a snapshot, so each read opens and closes its own (2 us).
  int code = sqlite3_blob_open(db_.get(), "main", table, column, row, 0, &handle);
  if (code == SQLITE_OK) {
    code = sqlite3_blob_read(handle, out.data(), static_cast<int>(out.size()),
                             static_cast<int>(offset));
  }
  const std::string why = code == SQLITE_OK ? "" : sqlite3_errmsg(db_.get());
  sqlite3_blob_close(handle);
  if (code != SQLITE_OK) {
    throw Error(Failure::bad_data, "damaged book", path_,
                std::string(table) + " " + std::to_string(row) + " cannot be read: " + why +
                    "; run kuvio-cli verify");
  }
}

std::int64_t Database::last_row() const { return sqlite3_last_insert_rowid(db_.get()); }

namespace {
void fold_in(sqlite3* db) {
  run(db, "PRAGMA schema_version");  // without a read first the checkpoint silently does nothing
  sqlite3_wal_checkpoint_v2(db, nullptr, SQLITE_CHECKPOINT_PASSIVE, nullptr, nullptr);
}
}  // namespace

void Database::checkpoint() const { fold_in(db_.get()); }

Transaction::Transaction(const Database& db) : db_(db) {
  take_lock(db_.handle(), "BEGIN IMMEDIATE", db_.path());
}
Transaction::~Transaction() {
  if (open_) sqlite3_exec(db_.handle(), "ROLLBACK", nullptr, nullptr, nullptr);
}
void Transaction::commit() {
  db_.execute("COMMIT");
  open_ = false;
}

/// Folds a book's log in whenever it is asked to. What it cannot do is left to whoever comes after.
class LazyCommits::Fold {
public:
  explicit Fold(const std::string& path)
      : thread_([this, path](const std::stop_token& stop) { work(stop, path); }) {}
  ~Fold() { thread_.request_stop(); }

  void ask() {
    const std::lock_guard lock(mutex_);
    asked_ = true;
    changed_.notify_all();
  }
  /// Until what was asked for is done.
  void wait() {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [this] { return !asked_ || over_; });
  }

private:
  void work(const std::stop_token& stop, const std::string& path) {
    sqlite3* db = nullptr;
    const bool open =
        sqlite3_open_v2(path.c_str(), &db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_NOMUTEX, nullptr) ==
        SQLITE_OK;
    if (open) {
      fold_on_close(db, false);
      run(db, "PRAGMA synchronous=NORMAL");
      std::unique_lock lock(mutex_);
      while (changed_.wait(lock, stop, [this] { return asked_; })) {
        lock.unlock();
        fold_in(db);
        lock.lock();
        asked_ = false;
        changed_.notify_all();
      }
    }
    sqlite3_close_v2(db);
    const std::lock_guard lock(mutex_);
    over_ = true;
    changed_.notify_all();
  }

  std::mutex mutex_;
  std::condition_variable_any changed_;
  bool asked_ = false, over_ = false;
  std::jthread thread_;
};

LazyCommits::LazyCommits(const Database& db) : db_(db) { db.execute("PRAGMA synchronous=NORMAL"); }

void LazyCommits::committed() {
  constexpr std::int64_t kAsk = 4 << 20, kLong = 24 << 20;
  const std::int64_t now = db_.wal_bytes();
  asked_at_ = std::min(asked_at_, now);  // it began anew
  if (now - asked_at_ < kAsk) return;
  asked_at_ = now;
  if (!fold_) fold_ = std::make_unique<Fold>(db_.path());
  if (now > kLong) {
    // The little that is left is folded in here, between two commits, so that the log begins anew.
    fold_->wait();
    db_.checkpoint();
  } else {
    fold_->ask();
  }
}

LazyCommits::~LazyCommits() {
  fold_.reset();
  sqlite3_exec(db_.handle(), "PRAGMA synchronous=FULL", nullptr, nullptr, nullptr);
}

}  // namespace kuvio::book
