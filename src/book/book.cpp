// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/book.h"

#include "book/book_file.h"
#include "book/capture_writer.h"
#include "book/checksums.h"
#include "book/schema.h"

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
    throw Error(Failure::cannot_create, "cannot create book", path, e.why());
  }
  move_into_place(half, path);
}

std::int64_t pragma(const Database& db, const char* name) {
  auto row = db.prepare(fmt::format("PRAGMA {}", name));
  return row.step() ? row.integer(0) : 0;
}

std::string read_word(const std::string& path, int word) {
  std::ifstream in(path);
  std::string text, all;
  std::getline(in, all);
  const auto close = all.rfind(')');  // the command's name may hold spaces
  if (close == std::string::npos) return {};
  std::size_t at = close + 2;
  for (int i = 3; i < word && at != std::string::npos; ++i) at = all.find(' ', at) + 1;
  return all.substr(at, all.find(' ', at) - at);
}

std::string boot_id() {
  std::ifstream in("/proc/sys/kernel/random/boot_id");
  std::string id;
  std::getline(in, id);
  return id;
}

std::string start_time(const std::string& pid) { return read_word("/proc/" + pid + "/stat", 22); }

}  // namespace

std::string own_identity() {
  const std::string pid = std::to_string(::getpid());
  return boot_id() + ":" + pid + ":" + start_time(pid);
}

bool is_alive(const std::string& identity) {
  const auto a = identity.find(':'), b = identity.rfind(':');
  if (a == std::string::npos || a == b || identity.substr(0, a) != boot_id()) return false;
  const std::string pid = identity.substr(a + 1, b - a - 1), started = identity.substr(b + 1);
  if (pid.empty() || pid.find_first_not_of("0123456789") != std::string::npos) return false;
  return !started.empty() && start_time(pid) == started &&
         read_word("/proc/" + pid + "/stat", 3) != "Z";
}

std::string utc_now() {
  const auto now = std::chrono::system_clock::now();
  const auto ms =
      std::chrono::duration_cast<std::chrono::milliseconds>(now.time_since_epoch()).count() % 1000;
  return fmt::format("{:%Y-%m-%dT%H:%M:%S}.{:03}Z",
                     fmt::gmtime(std::chrono::system_clock::to_time_t(now)), ms);
}

namespace {

/// The code point that begins at `bytes`, and its length; 0 bytes where none does (RFC 3629: no
/// surrogates, nothing beyond U+10FFFF, each in its shortest form).
std::pair<char32_t, std::size_t> code_point(std::string_view bytes) {
  const auto at = [&](std::size_t i) { return static_cast<unsigned char>(bytes[i]); };
  const unsigned char c = at(0);
  if (c < 0x80) return {c, 1};
  const std::size_t length = c >= 0xc2 && c < 0xe0   ? 2
                             : c >= 0xe0 && c < 0xf0 ? 3
                             : c >= 0xf0 && c < 0xf5 ? 4
                                                     : 0;
  if (length == 0 || bytes.size() < length) return {0, 0};
  char32_t code = c & (0xffU >> (length + 1));
  for (std::size_t k = 1; k < length; ++k) {
    if ((at(k) & 0xc0) != 0x80) return {0, 0};
    code = code << 6 | (at(k) & 0x3fU);
  }
  constexpr char32_t kLeast[] = {0, 0, 0x80, 0x800, 0x10000};
  if (code < kLeast[length] || code > 0x10ffff || (code >= 0xd800 && code < 0xe000)) return {0, 0};
  return {code, length};
}

/// Controls, and what turns the direction or the lines of the text around it.
bool is_hidden(char32_t code) {
  return (code < 0x20 && code != '\t') || (code >= 0x7f && code < 0xa0) ||
         (code >= 0x2028 && code <= 0x202e) || (code >= 0x2066 && code <= 0x2069) ||
         code == 0x200e || code == 0x200f || code == 0xfeff;
}

}  // namespace

std::string printable(std::string_view bytes) {
  std::string out;
  for (std::size_t i = 0; i < bytes.size();) {
    const auto [code, length] = code_point(bytes.substr(i));
    if (length > 0 && !is_hidden(code)) {
      out.append(bytes.substr(i, length));
      i += length;
      continue;
    }
    for (std::size_t k = 0; k < std::max<std::size_t>(1, length); ++k, ++i)
      out += fmt::format("\\x{:02X}", static_cast<unsigned char>(bytes[i]));
  }
  return out;
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

Book Book::open(const std::string& path, Mode mode) {
  std::error_code ignored;
  const bool exists = fs::exists(path, ignored);
  if (!exists && mode != Mode::create) {
    throw Error(Failure::no_input, "no such book", path, "check the path");
  }
  if (exists && fs::is_directory(path, ignored)) {
    throw Error(mode == Mode::create ? Failure::cannot_create : Failure::bad_data,
                "not a Kuvio book", path, "it is a folder");
  }
  if (exists && !fs::is_regular_file(path, ignored))
    throw Error(Failure::bad_data, "not a Kuvio book", path, "it is no file");
  if (exists) {
    const FileHead head = file_head(path);
    if (head.size < 0) throw Error(Failure::io, "cannot open book", path, "it may not be read");
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
  if (has_foreign_log(path)) {
    throw Error(Failure::bad_data, "a log lies beside the book", path,
                "the book was closed without one, so " + path + "-wal is another's: move it away");
  }
  const bool alone = misses_log(path);
  const auto access = mode == Mode::read ? Database::Access::read : Database::Access::write;
  Book book(std::make_unique<Database>(path, access, alone));
  book.require_schema();
  if (alone) book.tell_unclean();
  if (mode != Mode::read) {
    book.migrate();
    book.settle_dead_writers();
    if (alone) book.keep_unclean();
  }
  return book;
}

/// It was not closed, and what came after some moment is in a log that is not here.
void Book::tell_unclean() {
  std::int64_t last = 0;
  auto row = db_->prepare("SELECT max(heartbeat_us) FROM capture");
  if (row.step() && !row.is_null(0)) last = row.integer(0);
  unclean_ = fmt::format(
      "the book was last closed uncleanly: what came after {} is in a file that is not here "
      "({}-wal)",
      last > 0 ? fmt::format("{:%Y-%m-%d %H:%M:%S} UTC", fmt::gmtime(std::time_t(last / 1000000)))
               : std::string("it was last folded in"),
      fs::path(path()).filename().string());
}

/// Once it is written to, its header will say that it was closed.
void Book::keep_unclean() const {
  db_->prepare("INSERT OR REPLACE INTO note(capture, key, value) VALUES(0, 'unclean', ?1)")
      .bind_all(unclean_)
      .run();
  write_checksum(*db_, {"note:unclean", 0});
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
           "UPDATE capture SET phase='interrupted', end_reason='the recorder died' WHERE id=?1")
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
  // It was let go of by all: whoever opens it from here on finds it gone, and is told.
  if (has_log(path) || file_head(path).wants_log) return false;
  return ::unlink(path.c_str()) == 0;
}

void Book::discard(std::int64_t capture) const {
  Transaction transaction(*db_);
  erase(capture);
  transaction.commit();
}

/// The clock and calibration of a channel, as far as the book has them.
void Book::read_adjustments(ChannelInfo& c) const {
  if (pragma(*db_, "user_version") < 3) return;
  auto clock = db_->prepare("SELECT origin_s, rate, spread_s FROM clock WHERE channel=?1");
  clock.bind_all(c.id);
  if (clock.step()) {
    const ClockMap map{clock.real(0), clock.real(1), clock.real(2)};
    if (map.origin_s != 0 || map.rate != 1) c.clock = map;  // else it is the axis
    if (c.clock && (!std::isfinite(c.clock->origin_s) || std::fabs(c.clock->origin_s) > 1e9 ||
                    !(c.clock->rate > 0.5 && c.clock->rate < 2))) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "the clock of channel " + c.name + " makes no sense");
    }
  }
  auto calibration = db_->prepare("SELECT gain, offset, text FROM calibration WHERE channel=?1");
  calibration.bind_all(c.id);
  if (calibration.step()) {
    c.calibration = {calibration.real(0), calibration.real(1), calibration.text(2)};
    if (!std::isfinite(c.calibration.gain) || c.calibration.gain == 0 ||
        !std::isfinite(c.calibration.offset)) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "the calibration of channel " + c.name + " makes no sense");
    }
  }
}

std::vector<SyncPoint> Book::sync_points(std::int64_t channel) const {
  std::vector<SyncPoint> out;
  if (pragma(*db_, "user_version") < 3) return out;
  constexpr double kNone = std::numeric_limits<double>::infinity();
  auto rows = db_->prepare(
      "SELECT own_s, coalesce(earliest_s, -9e999), coalesce(latest_s, 9e999) FROM sync_point WHERE "
      "channel=?1 ORDER BY own_s");
  rows.bind_all(channel);
  while (rows.step()) {
    SyncPoint p{rows.real(0), rows.real(1), rows.real(2)};
    if (p.earliest_s < -1e300) p.earliest_s = -kNone;
    if (p.latest_s > 1e300) p.latest_s = kNone;
    out.push_back(p);
  }
  return out;
}

std::vector<ChannelInfo> Book::read_channels(std::int64_t capture) const {
  std::vector<ChannelInfo> out;
  auto rows = db_->prepare(
      "SELECT id, name, quantity, unit, kind, encoding, tick_num, tick_den, input, accuracy FROM "
      "channel "
      "WHERE capture=?1 ORDER BY id");
  rows.bind_all(capture);
  while (rows.step()) {
    ChannelInfo c;
    c.id = rows.integer(0);
    c.name = rows.text(1);
    c.quantity = rows.text(2);
    c.unit = rows.text(3);
    c.kind = rows.text(4) == "instant" ? SampleKind::instant : SampleKind::averaged;
    c.encoding = rows.text(5) == "f8" ? Encoding::f8 : Encoding::f4;
    c.time_base = {rows.integer(6), rows.integer(7)};
    if (c.time_base.num <= 0 || c.time_base.den <= 0) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "channel " + c.name + " has no time base");
    }
    c.input = rows.text(8);
    c.accuracy = rows.text(9);
    read_adjustments(c);
    const auto on_axis = [&c](double own_s) { return c.clock ? c.clock->at(own_s) : own_s; };
    auto segments = db_->prepare(
        "SELECT start_tick, period_ticks, end_tick, samples FROM segment WHERE channel=?1 ORDER BY "
        "seq");
    segments.bind_all(c.id);
    std::int64_t last_end = 0;
    bool first = true;
    while (segments.step()) {
      const std::int64_t start = segments.integer(0), end = segments.integer(2);
      if (first) c.from_s = on_axis(c.time_base.seconds(start));
      if (!first && start > last_end) ++c.gaps;
      if (c.period_s == 0) c.period_s = c.time_base.seconds(segments.integer(1));
      c.to_s = on_axis(c.time_base.seconds(end));
      const std::int64_t samples = segments.integer(3);
      if (samples < 1 || samples > (std::int64_t{1} << 40)) {
        throw Error(Failure::bad_data, "damaged book", path(),
                    "a segment of channel " + c.name + " makes no sense; run kuvio-cli verify");
      }
      c.samples += samples;
      last_end = end;
      first = false;
    }
    // As Trace::from_s and to_s: what was asked of an input and was no data counts.
    auto flags = db_->prepare(
        "SELECT coalesce(sum(samples), 0), min(from_s), max(to_s) FROM flag_run WHERE channel=?1");
    flags.bind_all(c.id);
    if (flags.step() && !flags.is_null(1)) {
      c.flagged = flags.integer(0);
      const double from = on_axis(flags.real(1)), to = on_axis(flags.real(2));
      c.from_s = c.samples == 0 ? from : std::min(c.from_s, from);
      c.to_s = c.samples == 0 ? to : std::max(c.to_s, to);
    }
    out.push_back(std::move(c));
  }
  // Channels are told apart by their names; of one name, the later ones get a number.
  std::set<std::string> names;
  for (ChannelInfo& c : out) {
    const std::string wanted = c.name;
    for (int number = 2; !names.insert(c.name).second; ++number)
      c.name = wanted + std::to_string(number);
  }
  return out;
}

CaptureInfo Book::read_capture(const Statement& row) const {
  CaptureInfo out;
  read_capture_rows(row, out);
  return out;
}

void Book::read_capture_rows(const Statement& row, CaptureInfo& out) const {
  out.id = row.integer(0);
  out.name = row.text(1);
  out.build = row.text(2);
  out.started_utc = row.text(3);
  out.end_reason = row.text(5);
  const std::string phase = row.text(4);
  out.recording = phase == "recording" && is_writing(row.text(6), out.id);
  out.interrupted = phase == "interrupted" || (phase == "recording" && !out.recording);
  if (out.interrupted && out.end_reason.empty()) out.end_reason = "the recorder died";
  out.channels = read_channels(out.id);
  auto conditions = db_->prepare("SELECT key, value FROM condition WHERE capture=?1");
  conditions.bind_all(out.id);
  while (conditions.step()) out.conditions[conditions.text(0)] = conditions.text(1);
  auto split = db_->prepare(
      "SELECT EXISTS(SELECT 1 FROM split WHERE capture=?1), "
      "(SELECT count(*) FROM log_line WHERE capture=?1)");
  split.bind_all(out.id);
  if (split.step()) {
    out.split = split.integer(0) != 0 && note(out.id, "split") != "0";
    out.log_lines = split.integer(1);
  }
}

namespace {
constexpr const char* kCaptureColumns =
    "SELECT id, name, build, started_utc, phase, end_reason, owner FROM capture WHERE "
    "phase<>'importing' ";
}

std::vector<CaptureInfo> Book::captures() const {
  std::vector<CaptureInfo> out;
  auto rows = db_->prepare(std::string(kCaptureColumns) + "ORDER BY id");
  while (rows.step()) {
    CaptureInfo& c = out.emplace_back();
    try {
      read_capture_rows(rows, c);
    } catch (const Error& e) {
      if (e.failure() != Failure::bad_data) throw;
      c.channels.clear();
      c.damage = e.why();
    }
  }
  return out;
}

CaptureInfo Book::capture(std::int64_t id) const {
  auto rows = db_->prepare(std::string(kCaptureColumns) + "AND id=?1");
  rows.bind_all(id);
  if (!rows.step()) {
    throw Error(Failure::bad_data, "no such capture", path(),
                "there is no capture " + std::to_string(id));
  }
  return read_capture(rows);
}

CaptureInfo Book::find(const std::string& id_or_name) const {
  std::vector<std::int64_t> found;
  auto rows = db_->prepare(
      "SELECT id FROM capture WHERE phase<>'importing' AND (name=?1 OR CAST(id AS TEXT)=?1)");
  rows.bind_all(id_or_name);
  while (rows.step()) found.push_back(rows.integer(0));
  if (found.empty()) {
    throw Error(Failure::bad_data, "no such capture", path(),
                "there is no capture \"" + id_or_name + "\"; kuvio-cli list shows them");
  }
  if (found.size() > 1) {
    std::string ids;
    for (const auto id : found) ids += (ids.empty() ? "" : ", ") + std::to_string(id);
    throw Error(
        Failure::usage, "ambiguous capture", path(),
        "\"" + id_or_name + "\" may be any of the captures " + ids + "; name one by its id");
  }
  return capture(found.front());
}

std::vector<std::string> Book::builds() const {
  std::vector<std::string> out;
  auto rows = db_->prepare(
      "SELECT build FROM capture WHERE phase<>'importing' AND build<>'' GROUP BY build ORDER BY "
      "min(id)");
  while (rows.step()) out.push_back(rows.text(0));
  return out;
}

std::vector<LogLine> Book::log(std::int64_t capture) const {
  std::vector<LogLine> out;
  auto rows = db_->prepare(
      "SELECT time_s, direction, text FROM log_line WHERE capture=?1 ORDER BY time_s, id");
  rows.bind_all(capture);
  while (rows.step()) out.push_back({rows.real(0), rows.text(1) == "sent", rows.text(2)});
  return out;
}

std::vector<Event> Book::events(std::int64_t capture) const {
  std::vector<Event> out;
  auto rows = db_->prepare(
      "SELECT kind, earliest_s, latest_s, text FROM event WHERE capture=?1 ORDER BY id");
  rows.bind_all(capture);
  while (rows.step()) out.push_back({rows.text(0), rows.real(1), rows.real(2), rows.text(3)});
  return out;
}

std::vector<OutputSwitch> Book::output_switches(std::int64_t capture) const {
  std::vector<OutputSwitch> out;
  for (const Event& e : events(capture)) {
    if (e.kind == "output_on" || e.kind == "output_off" || e.kind == "output_cut_off") {
      out.push_back({e.kind == "output_on", e.earliest_s, e.latest_s});
    }
  }
  return out;
}

std::optional<std::string> Book::note(std::int64_t capture, const std::string& key) const {
  if (pragma(*db_, "user_version") < 2) return std::nullopt;
  auto row = db_->prepare("SELECT value FROM note WHERE capture=?1 AND key=?2");
  row.bind_all(capture, key);
  if (!row.step()) return std::nullopt;
  return row.text(0);
}

std::vector<Note> Book::notes() const {
  std::vector<Note> out;
  if (pragma(*db_, "user_version") < 2) return out;
  auto rows = db_->prepare("SELECT capture, key, value FROM note ORDER BY capture, key");
  while (rows.step()) out.push_back({rows.integer(0), rows.text(1), rows.text(2)});
  return out;
}

std::optional<StoredSplit> Book::split(std::int64_t capture) const {
  const std::optional<std::string> chosen = note(capture, "split");
  auto row = db_->prepare(fmt::format(
      "SELECT id, channel, recipe_name, recipe_text, {} FROM split WHERE capture=?1 AND "
      "(?2='' OR CAST(id AS TEXT)=?2) ORDER BY id DESC LIMIT 1",
      version() >= 5 ? "rules" : "0"));
  row.bind_all(capture, chosen.value_or(""));
  if (!row.step()) return std::nullopt;
  StoredSplit out;
  out.id = row.integer(0);
  out.channel = row.integer(1);
  out.recipe_name = row.text(2);
  out.recipe_text = row.text(3);
  out.rules = row.integer(4);
  auto visits = db_->prepare(
      version() >= 5
          ? "SELECT state, from_s, to_s, whole, cell_from_s, cell_to_s, narrow, continues "
            "FROM visit WHERE split=?1 ORDER BY ordinal"
          : "SELECT state, from_s, to_s, whole, 0.0, 0.0, 0, 0 FROM visit WHERE split=?1 "
            "ORDER BY ordinal");
  visits.bind_all(out.id);
  while (visits.step()) {
    Visit v{visits.text(0), visits.real(1), visits.real(2), visits.integer(3) != 0};
    v.begins = {visits.real(4), visits.real(5)};
    v.narrow = visits.integer(6) != 0;
    v.continues = visits.integer(7) != 0;
    Visit* before = out.visits.empty() ? nullptr : &out.visits.back();
    const bool follows = !before || v.from_s == before->to_s;
    const bool holds =
        v.begins.empty() || (before && v.begins.from_s <= v.from_s && v.from_s <= v.begins.to_s);
    if (!(v.to_s > v.from_s) || !follows || !holds) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  fmt::format("visit {} of capture {} does not follow the one before",
                              out.visits.size() + 1, capture));
    }
    if (before) before->ends = v.begins;
    out.visits.push_back(std::move(v));
  }
  return out;
}

std::int64_t Book::save_split(std::int64_t capture, const StoredSplit& split) const {
  Transaction transaction(*db_);
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
  transaction.commit();
  return id;
}

std::int64_t Book::data_version() const { return pragma(*db_, "data_version"); }

}  // namespace kuvio::book
