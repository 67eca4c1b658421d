// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/checksums.h"

#include "book/chunk.h"

#include <sqlite3.h>

#include <cstring>
#include <map>

namespace kuvio::book {
namespace {

constexpr std::int64_t kSince = 6;  // version of the book

/// One capture's or split's rows, in an order of their own.
const char* const kOfCapture[] = {
    "SELECT id, started_utc, phase, end_reason FROM capture WHERE id=?1",
    "SELECT * FROM condition WHERE capture=?1 ORDER BY key",
    "SELECT * FROM channel WHERE capture=?1 ORDER BY id",
    "SELECT s.* FROM segment s JOIN channel c ON c.id=s.channel WHERE c.capture=?1 "
    "ORDER BY s.channel, s.seq",
    "SELECT k.* FROM channel c JOIN chunk k ON k.id>=(c.id<<32) AND k.id<((c.id+1)<<32) "
    "WHERE c.capture=?1 ORDER BY k.id",
    "SELECT t.* FROM tail t JOIN channel c ON c.id=t.channel WHERE c.capture=?1 "
    "ORDER BY t.channel, t.first_sample",
    "SELECT f.* FROM flag_run f JOIN channel c ON c.id=f.channel WHERE c.capture=?1 "
    "ORDER BY f.channel, f.rowid",
    "SELECT * FROM log_line WHERE capture=?1 ORDER BY id",
    "SELECT * FROM event WHERE capture=?1 ORDER BY id",
    "SELECT k.* FROM clock k JOIN channel c ON c.id=k.channel WHERE c.capture=?1 "
    "ORDER BY k.channel",
    "SELECT s.* FROM sync_point s JOIN channel c ON c.id=s.channel WHERE c.capture=?1 "
    "ORDER BY s.channel, s.rowid",
    "SELECT k.* FROM calibration k JOIN channel c ON c.id=k.channel WHERE c.capture=?1 "
    "ORDER BY k.channel"};

class Crc {
public:
  /// All values of all rows; kinds and lengths count, so that nothing can move from one to another.
  void rows(const Database& db, const std::string& sql, std::int64_t id,
            const std::string& key = "") {
    auto rows = db.prepare(sql);
    rows.bind(1, id);
    if (!key.empty()) rows.bind(2, std::string_view(key));
    while (rows.step()) {
      for (int c = 0; c < rows.columns(); ++c) value(rows, c);
      bytes("\n", 1);
    }
    bytes("\f", 1);
  }
  std::uint32_t value() const { return crc_; }

private:
  void bytes(const void* data, std::size_t n) {
    crc_ = crc32({static_cast<const std::byte*>(data), n}, crc_);
  }
  void value(const Statement& row, int column) {
    const char kind = row.kind(column);
    bytes(&kind, 1);
    if (kind == 'i') {
      const std::int64_t v = row.integer(column);
      bytes(&v, sizeof v);
    } else if (kind == 'r') {
      const double v = row.real(column);
      bytes(&v, sizeof v);
    } else if (kind != '0') {
      const auto v = row.blob(column);  // of text its bytes
      const std::uint64_t n = v.size();
      bytes(&n, sizeof n);
      bytes(v.data(), v.size());
    }
  }
  std::uint32_t crc_ = 0;
};

bool has_checksums(const Database& db) {
  auto row = db.prepare("PRAGMA user_version");
  return row.step() && row.integer(0) >= kSince;
}

std::vector<std::int64_t> ids(const Database& db, const std::string& sql) {
  std::vector<std::int64_t> out;
  auto rows = db.prepare(sql);
  while (rows.step()) out.push_back(rows.integer(0));
  return out;
}

constexpr const char* kEnded = "SELECT id FROM capture WHERE phase IN ('done', 'interrupted')";

/// What a book should have a checksum of.
std::vector<std::pair<std::int64_t, Covered>> all_covered(const Database& db) {
  std::vector<std::pair<std::int64_t, Covered>> out;
  for (const std::int64_t id : ids(db, kEnded)) {
    for (const char* kind : {"capture", "names", "splits"}) out.push_back({id, {kind, id}});
  }
  auto splits = db.prepare("SELECT id, capture FROM split");
  while (splits.step()) out.push_back({splits.integer(1), {"split", splits.integer(0)}});
  auto notes = db.prepare("SELECT capture, key FROM note");
  while (notes.step())
    out.push_back({notes.integer(0), {"note:" + notes.text(1), notes.integer(0)}});
  return out;
}

std::string describe(const Covered& what) {
  if (what.kind == "capture") return "its rows";
  if (what.kind == "names") return "its name or build";
  if (what.kind == "splits") return "its list of splits";
  if (what.kind == "split") return "split " + std::to_string(what.id);
  if (what.kind.starts_with("note:")) return "the note \"" + what.kind.substr(5) + "\"";
  return "a checksum";
}

}  // namespace

std::uint32_t checksum_of(const Database& db, const Covered& what) {
  Crc out;
  if (what.kind == "capture") {
    for (const char* sql : kOfCapture) out.rows(db, sql, what.id);
  } else if (what.kind == "names") {
    out.rows(db, "SELECT name, build FROM capture WHERE id=?1", what.id);
  } else if (what.kind == "splits") {
    out.rows(db, "SELECT id FROM split WHERE capture=?1 ORDER BY id", what.id);
  } else if (what.kind == "split") {
    out.rows(db, "SELECT * FROM split WHERE id=?1", what.id);
    out.rows(db, "SELECT * FROM visit WHERE split=?1 ORDER BY ordinal", what.id);
  } else {
    out.rows(db, "SELECT value FROM note WHERE capture=?1 AND key=?2", what.id,
             what.kind.substr(5));
  }
  return out.value();
}

void write_checksum(const Database& db, const Covered& what) {
  if (!has_checksums(db)) return;
  db.prepare("INSERT OR REPLACE INTO checksum(kind, id, crc) VALUES(?1, ?2, ?3)")
      .bind_all(what.kind, what.id, static_cast<std::int64_t>(checksum_of(db, what)))
      .run();
}

void forget_checksum(const Database& db, const Covered& what) {
  if (!has_checksums(db)) return;
  db.prepare("DELETE FROM checksum WHERE kind=?1 AND id=?2").bind_all(what.kind, what.id).run();
}

void seal_capture(const Database& db, std::int64_t capture) {
  for (const char* kind : {"capture", "names", "splits"}) write_checksum(db, {kind, capture});
}

void seal_all(const Database& db) {
  for (const auto& [capture, what] : all_covered(db)) write_checksum(db, what);
}

std::vector<ChecksumFault> check_checksums(const Database& db) {
  std::vector<ChecksumFault> out;
  if (!has_checksums(db)) return out;
  std::map<std::pair<std::string, std::int64_t>, std::int64_t> written;
  auto rows = db.prepare("SELECT kind, id, crc FROM checksum");
  while (rows.step()) written[{rows.text(0), rows.integer(1)}] = rows.integer(2);
  for (const auto& [capture, what] : all_covered(db)) {
    const auto it = written.find({what.kind, what.id});
    if (it == written.end()) {
      out.push_back({capture, describe(what), "its checksum is gone"});
      continue;
    }
    try {
      if (it->second != static_cast<std::int64_t>(checksum_of(db, what)))
        out.push_back({capture, describe(what), "changed since it was written"});
    } catch (const Error& e) {
      out.push_back({capture, describe(what), "cannot be read: " + e.why()});
    }
    written.erase(it);
  }
  for (const auto& [what, crc] : written)
    out.push_back({0, describe({what.first, what.second}),
                   "is gone (" + what.first + " " + std::to_string(what.second) + ")"});
  return out;
}

}  // namespace kuvio::book
