// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/door.h"
#include "core/error.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

struct sqlite3;
struct sqlite3_stmt;

namespace kuvio::book {

/// One prepared statement; bind, then step through its rows. Errors become kuvio::Error.
class Statement {
public:
  Statement(sqlite3* db, std::string_view sql, std::string where);

  Statement& bind(int at, std::int64_t value);
  Statement& bind(int at, double value);
  Statement& bind(int at, std::string_view text);
  Statement& bind(int at, std::span<const std::byte> blob);
  /// Binds all of them in order, from 1.
  template <typename... T>
  Statement& bind_all(const T&... values) {
    int at = 0;
    (bind(++at, values), ...);
    return *this;
  }

  /// True while there is a row. Resets by itself after the last one.
  bool step();
  /// Runs a statement that yields no rows.
  void run();

  std::int64_t integer(int column) const;
  double real(int column) const;
  std::string text(int column) const;
  bool is_null(int column) const;
  int columns() const;
  /// 'i' integer, 'r' real, 't' text, 'b' blob, '0' null.
  char kind(int column) const;
  std::span<const std::byte> blob(int column) const;

private:
  struct Finalize {
    void operator()(sqlite3_stmt* s) const;
  };
  void check(int code) const;

  sqlite3* db_;
  std::string where_;
  std::unique_ptr<sqlite3_stmt, Finalize> stmt_;
};

/// One connection. For the thread that opened it alone.
///
/// The last one to let go of a file, of all threads and programs, folds its write-ahead log in, so
/// that the file alone is the book.
class Database {
public:
  enum class Access { read, write, create };

  /// Opens `path` with Kuvio's pragmas. Does not look at the contents.
  Database(const std::string& path, Access access);
  /// What is behind a door, which is let go of. `alone`: its log is missing; it is read as it is,
  /// without one.
  Database(Door door, Access access, bool alone);
  ~Database();
  Database(const Database&) = delete;
  Database& operator=(const Database&) = delete;

  Statement prepare(std::string_view sql) const { return Statement(db_.get(), sql, path_); }
  void execute(const std::string& sql) const;
  /// Reads part of a blob without fetching the whole of it.
  void read_blob(const char* table, const char* column, std::int64_t row, std::int64_t offset,
                 std::span<std::byte> out) const;
  std::int64_t last_row() const;
  const std::string& path() const { return path_; }
  sqlite3* handle() const { return db_.get(); }
  /// Moves the write-ahead log into the file as far as readers allow, without waiting.
  void checkpoint() const;
  /// Size of the write-ahead log after the last commit, in bytes.
  std::int64_t wal_bytes() const { return *wal_pages_ * 16384; }
  /// Whether the file is no longer where it was opened: moved, replaced or deleted.
  bool has_moved() const;
  /// Whether no name leads to it any more.
  bool is_deleted() const;
  /// Of a file that has moved: folds its log in, removes it from under the old name, and sets the
  /// header back.
  void let_go_of_log() const;

private:
  void open(Door* door);
  void use_log(Door& door);
  struct Close {
    void operator()(sqlite3* db) const;
  };
  std::string path_;
  Access access_ = Access::read;
  bool in_file_ = false;  // and not in memory
  bool alone_ = false;
  struct Name {
    int at = -1;
    ~Name();
  };
  Name name_;  // of the file, whatever becomes of its path; takes part in no lock
  std::unique_ptr<std::int64_t> wal_pages_ = std::make_unique<std::int64_t>(0);
  std::unique_ptr<sqlite3, Close> db_;
};

/// BEGIN IMMEDIATE … COMMIT; rolls back unless committed.
class Transaction {
public:
  explicit Transaction(const Database& db);
  ~Transaction();
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;
  void commit();

private:
  const Database& db_;
  bool open_ = true;
};

/// While it lives, commits of a connection do not wait for the disk: for what is nothing until it
/// is whole. A power cut may take the last of them, never half of one. The first commit after it
/// waits for all. The log is folded in by a thread with a connection of its own, so that nobody
/// waits for that either, but for a moment each time the log has grown long.
class LazyCommits {
public:
  explicit LazyCommits(const Database& db);
  ~LazyCommits();
  LazyCommits(const LazyCommits&) = delete;
  LazyCommits& operator=(const LazyCommits&) = delete;

  /// To be called after each commit.
  void committed();

private:
  class Fold;
  const Database& db_;
  std::int64_t asked_at_ = 0;  // bytes of the log
  std::unique_ptr<Fold> fold_;
};

/// Turns an SQLite result code into an Error.
[[noreturn]] void fail(sqlite3* db, int code, const std::string& where);

}  // namespace kuvio::book
