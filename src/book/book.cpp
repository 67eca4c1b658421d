// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/book.h"

#include "book/book_file.h"
#include "book/capture_writer.h"
#include "book/checksums.h"
#include "book/door.h"
#include "book/owner.h"
#include "book/read_cache.h"
#include "book/schema.h"
#include "book/sqlite.h"
#include "book/text.h"

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <set>
#include <span>

namespace kuvio::book {
namespace {

namespace fs = std::filesystem;

std::multiset<std::string> schema_of(const Database& db) {
  std::multiset<std::string> out;
  auto rows = db.prepare(
      "SELECT type, name, coalesce(sql, '') FROM sqlite_schema WHERE name NOT GLOB 'sqlite_*'");
  while (rows.step()) out.insert(rows.text(0) + " " + rows.text(1) + " " + rows.text(2));
  return out;
}

/// What each version of a book added, from version 1 on.
const std::array<std::span<const char* const>, kSchemaVersion> kVersions{
    kSchema, kSchemaSince2, kSchemaSince3, kSchemaSince4, kSchemaSince5, kSchemaSince6};

/// Brings tables from one version (0: none) to another.
void add_versions(const Database& db, std::int64_t from, std::int64_t to) {
  for (std::int64_t version = from; version < to; ++version) {
    for (const char* ddl : kVersions[static_cast<std::size_t>(version)]) db.execute(ddl);
  }
}

std::multiset<std::string> expected_schema(std::int64_t version) {
  const Database db(":memory:", Database::Access::create);
  add_versions(db, 0, version);
  return schema_of(db);
}

void create_schema(const Database& db) {
  Transaction transaction(db);
  add_versions(db, 0, kSchemaVersion);
  db.execute(fmt::format("PRAGMA application_id={}; PRAGMA user_version={}", kApplicationId,
                         kSchemaVersion));
  transaction.commit();
}

/// Makes an empty book under a name of its own, and gives it its name once it is whole. Where
/// somebody else was quicker, theirs is the book.
void create_book(const std::string& path) {
  const std::string half = name_beside(path);
  struct Remove {
    const std::string& path;
    ~Remove() { ::unlink(path.c_str()); }
  } remove{half};
  try {
    const Database db(half, Database::Access::create);
    create_schema(db);
  } catch (const Error& e) {
    throw Error(Failure::cannot_create, "cannot create book", path,
                e.failure() == Failure::io ? e.happened() + "; nothing was created" : e.why());
  }
  move_into_place(half, path);
}

std::int64_t pragma(const Database& db, const char* name) {
  auto row = db.prepare(fmt::format("PRAGMA {}", name));
  return row.step() ? row.integer(0) : 0;
}

}  // namespace

std::string utc_now() {
  const auto now = std::chrono::system_clock::now();
  const auto ms =
      std::chrono::duration_cast<std::chrono::milliseconds>(now.time_since_epoch()).count() % 1000;
  return fmt::format("{:%Y-%m-%dT%H:%M:%S}.{:03}Z",
                     fmt::gmtime(std::chrono::system_clock::to_time_t(now)), ms);
}

double CaptureInfo::from_s() const {
  // Channels without a clock of their own are the axis; others may be off it by a hair.
  const bool has_axis = std::any_of(channels.begin(), channels.end(),
                                    [](const ChannelInfo& c) { return c.sampled() && !c.clock; });
  double from = 0;
  bool any = false;
  for (const ChannelInfo& c : channels) {
    if (!c.sampled() || (has_axis && c.clock)) continue;
    from = any ? std::min(from, c.from_s) : c.from_s;
    any = true;
  }
  return from;
}

double CaptureInfo::to_s() const {
  double to = from_s();
  for (const ChannelInfo& c : channels) {
    if (c.sampled()) to = std::max(to, c.to_s);
  }
  return to;
}

const ChannelInfo* CaptureInfo::channel(const std::string& channel_name) const {
  for (const ChannelInfo& c : channels) {
    if (c.name == channel_name) return &c;
  }
  return nullptr;
}

Book::Book(std::unique_ptr<Database> db)
    : db_(std::move(db)), cache_(std::make_unique<ReadCache>()) {}
Book::Book(Book&& other) noexcept = default;
Book& Book::operator=(Book&& other) noexcept = default;
Book::~Book() = default;

const std::string& Book::path() const { return db_->path(); }

Book Book::open(const std::string& given, Mode mode) {
  std::error_code ignored;
  // What lies beside it lies beside the file itself, not beside a link to it.
  std::string path = given;
  if (fs::is_symlink(given, ignored)) {
    const fs::path real = fs::canonical(given, ignored);
    if (!ignored) path = real.string();
  }
  const bool exists = fs::exists(path, ignored);
  if (!exists && mode != Mode::create) {
    throw Error(Failure::no_input, "no such book", path, "check the path");
  }
  if (exists && fs::is_directory(path, ignored)) {
    throw Error(mode == Mode::create ? Failure::cannot_create : Failure::bad_data,
                "not a Kuvio book", path, "it is a folder");
  }
  if (exists && !fs::is_regular_file(path, ignored))
    throw Error(Failure::bad_data, "not a Kuvio book", path, "it is not a file");
  if (exists) {
    const FileHead head = file_head(path);
    if (head.size < 0) throw Error(Failure::io, "cannot open book", path, "permission denied");
    if (!head.sqlite) {
      throw Error(Failure::bad_data, "not a Kuvio book", path,
                  head.size == 0 ? "it is empty" : "it is some other kind of file");
    }
  }
  if (!exists) {
    const fs::path folder = fs::path(path).parent_path();
    if (!folder.empty() && !fs::is_directory(folder, ignored)) {
      throw Error(Failure::cannot_create, "cannot create book", path, "there is no such folder");
    }
  }
  if (!exists) create_book(path);
  Door door(path);
  if (has_foreign_log(door)) {
    throw Error(Failure::bad_data, "a log lies beside the book", path,
                "the book was closed without one, so " + path + "-wal is another's: move it away");
  }
  const bool alone = misses_log(door);
  const auto access = mode == Mode::read ? Database::Access::read : Database::Access::write;
  Book book(std::make_unique<Database>(std::move(door), access, alone));
  book.require_schema();
  if (alone) book.report_unclean();
  if (mode != Mode::read) {
    book.migrate();
    book.settle_dead_writers();
    if (alone) book.keep_unclean();
  }
  return book;
}

/// It was not closed, and what came after some moment is in a log that is not here.
void Book::report_unclean() {
  std::int64_t last = 0;
  auto row = db_->prepare("SELECT max(heartbeat_us) FROM capture");
  if (row.step() && !row.is_null(0)) last = row.integer(0);
  unclean_ = fmt::format(
      "the book was last closed uncleanly: what came after {}, if anything, is in a file that is "
      "not here ({}-wal)",
      last > 0 ? fmt::format("{:%Y-%m-%d %H:%M:%S} UTC", fmt::gmtime(std::time_t(last / 1000000)))
               : std::string("it was last folded in"),
      fs::path(path()).filename().string());
}

/// Once it is written to, its header will say that it was closed.
void Book::keep_unclean() const {
  Transaction transaction(*db_);
  db_->prepare("INSERT OR REPLACE INTO note(capture, key, value) VALUES(0, 'unclean', ?1)")
      .bind_all(unclean_)
      .run();
  write_checksum(*db_, {"note:unclean", 0});
  transaction.commit();
}

void Book::require_schema() const {
  if (pragma(*db_, "application_id") != kApplicationId) {
    throw Error(Failure::bad_data, "not a Kuvio book", path(),
                "it is another program's SQLite file");
  }
  const auto version = pragma(*db_, "user_version");
  if (version < 1 || version > kSchemaVersion) {
    throw Error(Failure::bad_data, "unknown version of book", path(),
                fmt::format("it is version {}, this Kuvio reads versions 1 to {}", version,
                            kSchemaVersion));
  }
  if (schema_of(*db_) != expected_schema(version)) {
    throw Error(Failure::bad_data, "altered book", path(),
                "its tables are not those of a Kuvio book");
  }
}

std::int64_t Book::version() const { return pragma(*db_, "user_version"); }

void Book::migrate() const {
  if (pragma(*db_, "user_version") == kSchemaVersion) return;
  Transaction transaction(*db_);
  const auto version = pragma(*db_, "user_version");  // somebody else may have done it meanwhile
  if (version < kSchemaVersion) {
    add_versions(*db_, version, kSchemaVersion);
    db_->execute(fmt::format("PRAGMA user_version={}", kSchemaVersion));
    if (version < 6) seal_all(*db_);
  }
  transaction.commit();
}

/// Whether whoever began a capture is still at it.
bool Book::is_writing(const std::string& owner, std::int64_t capture) const {
  return owner == own_identity() ? is_written_here(path(), capture) : is_alive(owner);
}

void Book::settle_dead_writers() const {
  // Most of the time there is nobody, and nothing is locked to find that out.
  const auto unfinished = [&] {
    std::vector<std::pair<std::int64_t, std::string>> dead;
    auto rows = db_->prepare(
        "SELECT id, owner, phase FROM capture WHERE phase IN ('recording', 'importing')");
    while (rows.step()) {
      if (!is_writing(rows.text(1), rows.integer(0)))
        dead.emplace_back(rows.integer(0), rows.text(2));
    }
    return dead;
  };
  if (unfinished().empty()) return;
  // Whoever finished and went since then has changed the phase: it is asked again under the lock.
  Transaction transaction(*db_);
  for (const auto& [id, phase] : unfinished()) {
    if (phase == "importing") {
      erase(id);
      continue;
    }
    db_->prepare(
           "UPDATE capture SET phase='interrupted', end_reason='the recorder exited unexpectedly' "
           "WHERE id=?1")
        .bind_all(id)
        .run();
    seal_capture(*db_, id);
  }
  transaction.commit();
}

void Book::erase(std::int64_t id) const {
  for (const char* kind : {"capture", "names", "splits"}) forget_checksum(*db_, {kind, id});
  for (const auto& [sql, kind] :
       {std::pair{"SELECT CAST(id AS TEXT) FROM split WHERE capture=?1", "split"},
        std::pair{"SELECT key FROM note WHERE capture=?1", "note:"}}) {
    if (version() < 6) break;
    auto rows = db_->prepare(sql);
    rows.bind_all(id);
    while (rows.step()) {
      if (std::string_view(kind) == "split") {
        forget_checksum(*db_, {kind, std::stoll(rows.text(0))});
      } else {
        forget_checksum(*db_, {kind + rows.text(0), id});
      }
    }
  }
  for (const char* table : {"chunk", "chunk_samples", "chunk_strides", "chunk_times"}) {
    db_
        ->prepare(fmt::format(
            "DELETE FROM {} WHERE (id >> 32) IN (SELECT id FROM channel WHERE capture=?1)", table))
        .bind_all(id)
        .run();
  }
  db_->prepare("DELETE FROM tail WHERE channel IN (SELECT id FROM channel WHERE capture=?1)")
      .bind_all(id)
      .run();
  db_->prepare("DELETE FROM note WHERE capture=?1").bind_all(id).run();
  db_->prepare("DELETE FROM capture WHERE id=?1").bind_all(id).run();
}

void Book::mark_interrupted(std::int64_t capture, const std::string& reason) const {
  try {
    // Without an owner it counts as dead even if its phase cannot be written.
    Transaction transaction(*db_);
    db_->prepare("UPDATE capture SET phase='interrupted', end_reason=?2, owner='' WHERE id=?1")
        .bind_all(capture, reason)
        .run();
    seal_capture(*db_, capture);
    transaction.commit();
  } catch (const Error&) {  // no room for that either
  }
}

bool Book::remove_if_empty(Book&& book) {
  const std::string path = book.path();
  {
    const Book own = std::move(book);
    auto row =
        own.db_->prepare("SELECT (SELECT count(*) FROM capture) + (SELECT count(*) FROM note)");
    if (!row.step() || row.integer(0) != 0) return false;
    row.run();
  }
  // It was let go of by all: whoever opens it from here on finds it gone, and that is said.
  const Door door(path);
  if (has_log(path) || file_head(path).wants_log) return false;
  return ::unlink(path.c_str()) == 0;
}

void Book::discard(std::int64_t capture) const {
  Transaction transaction(*db_);
  erase(capture);
  transaction.commit();
}

std::int64_t Book::save_split(std::int64_t capture, const StoredSplit& split) const {
  Transaction transaction(*db_);
  const std::int64_t id = add_split(capture, split);
  transaction.commit();
  return id;
}

std::int64_t Book::add_split(std::int64_t capture, const StoredSplit& split) const {
  db_->prepare(
         "INSERT INTO split(capture, channel, recipe_name, recipe_text, made_utc, rules) "
         "VALUES(?1, "
         "?2, ?3, ?4, ?5, ?6)")
      .bind_all(capture, split.channel, split.recipe_name, split.recipe_text, utc_now(),
                split.rules)
      .run();
  const std::int64_t id = db_->last_row();
  auto insert = db_->prepare(
      "INSERT INTO visit(split, ordinal, state, from_s, to_s, whole, cell_from_s, cell_to_s, "
      "narrow, "
      "continues) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)");
  std::int64_t ordinal = 0;
  for (const Visit& v : split.visits) {
    insert
        .bind_all(id, ordinal++, v.state, v.from_s, v.to_s, static_cast<std::int64_t>(v.whole),
                  v.begins.from_s, v.begins.to_s, static_cast<std::int64_t>(v.narrow),
                  static_cast<std::int64_t>(v.continues))
        .run();
  }
  db_->prepare("DELETE FROM note WHERE capture=?1 AND key='split'").bind_all(capture).run();
  forget_checksum(*db_, {"note:split", capture});
  write_checksum(*db_, {"split", id});
  write_checksum(*db_, {"splits", capture});
  return id;
}

std::int64_t Book::data_version() const { return pragma(*db_, "data_version"); }

}  // namespace kuvio::book
