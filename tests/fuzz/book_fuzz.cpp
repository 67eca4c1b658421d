// SPDX-License-Identifier: GPL-3.0-or-later
// A whole book, changed in some places: a value of a row, a byte, its length. Half of the times its
// checksums are made anew, as by somebody who means harm. Whatever comes out is refused with an
// Error or read in order; and one that verify calls whole without forged checksums has the figures
// that it had.

#include "book/analysis.h"
#include "book/book.h"
#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "book/checksums.h"
#include "book/copy.h"
#include "book/notes.h"
#include "book/verify.h"
#include "core/envelope.h"
#include "core/ledger.h"
#include "core/measure.h"
#include "core/state_split.h"

#include <fmt/format.h>
#include <sqlite3.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <limits>

using namespace kuvio;
namespace fs = std::filesystem;

namespace {

std::string folder, base, path;
std::vector<double> right;

/// The bytes that decide what is changed, taken from the front; zeros once they are used up.
class Chance {
public:
  Chance(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}
  bool empty() const { return size_ == 0; }
  template <typename T>
  T take() {
    T out{};
    const std::size_t n = std::min(size_, sizeof out);
    std::memcpy(&out, data_, n);
    data_ += n;
    size_ -= n;
    return out;
  }
  std::size_t below(std::size_t n) { return n == 0 ? 0 : take<std::uint16_t>() % n; }
  std::string text() {
    const std::size_t n = std::min<std::size_t>(take<std::uint8_t>() % 32, size_);
    std::string out(reinterpret_cast<const char*>(data_), n);
    data_ += n;
    size_ -= n;
    return out;
  }

private:
  const std::uint8_t* data_;
  std::size_t size_;
};

/// Two captures: one done and split by hand, with a log, edits and a clock; one whose writer died.
void make_base() {
  book::ChannelInfo even, uneven;
  even.name = "I";
  even.time_base = {1, 1000000};
  uneven = even;
  uneven.name = "V";
  uneven.quantity = Quantity::voltage;
  uneven.unit = "V";
  uneven.kind = SampleKind::instant;
  uneven.encoding = book::Encoding::f8;
  uneven.clock = ClockMap{0.25, 1.00001, 1e-4};
  even.calibration = {1.5, 1e-6, "manual"};
  even.accuracy = "0.1 % + 1 uA";
  std::vector<double> values(3000);
  std::vector<std::int64_t> times(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    values[i] = i % 400 < 300 ? 3e-6 : 20e-3 + 1e-5 * static_cast<double>(i % 17);
    times[i] = static_cast<std::int64_t>(i * 1000 + (i % 3) * 100);
  }
  auto book = book::Book::open(base, book::Book::Mode::create);
  for (const bool killed : {false, true}) {
    std::vector<book::ChannelInfo> channels{even, uneven};
    book::CaptureWriter writer(book, {killed ? "killed" : "whole", "2.4", {{"voltage", "3.6 V"}}},
                               channels);
    writer.append(0, 0, 1000, std::span(values).first(1500));
    writer.append(0, 1600000, 1000, std::span(values).subspan(1600));
    writer.append_times(1, times, values, times.back() + 1000, true);
    writer.flag(0, {Flag::over_range, 1.5, 1.6, 100});
    writer.log({0.5, false, "wakes"});
    writer.event({EventKind::mark, 0.7, 0.7, "here"});
    writer.event({EventKind::output_on, 0.1, 0.11, ""});
    writer.clock(1, *uneven.clock, {{0.5, 0.4, 0.6}});
    writer.flush();
    if (!killed) writer.finish("as long as wanted", false);
  }
  const auto info = book.captures().front();
  Recipe recipe{"two", "I", {{"Sleep", {.high = 1e-3}, 0, 0}, {"Work", {.low = 1e-3}, 0, 0}}};
  book.save_split(info.id, book::split_capture(book, info, recipe, "made up"));
  book::put(book, {{1, "edits", R"([{"do":"rename","at_s":0.35,"state":"Other"}])"},
                   {1, "lined_up", R"({"offset_s":0.5,"how":"by hand"})"},
                   {0, "reference", "2.4"}});
}

/// All that is shown of a book; what cannot be read is left out.
std::vector<double> read_all(const book::Book& book) {
  std::vector<double> out;
  const auto guarded = [](auto work) {
    try {
      work();
    } catch (const Error&) {
    }
  };
  book.notes();
  book.builds();
  for (const book::CaptureInfo& info : book.captures()) {
    guarded([&] {
      book.log(info.id);
      book.events(info.id);
      book::lined_up(book, info.id);
      book::nominal_voltage(info.conditions);
    });
    for (const book::ChannelInfo& channel : info.channels) {
      guarded([&] {
        book.sync_points(channel.id);
        const book::ChannelTrace trace(book, channel);
        const double from = trace.from_s(), to = trace.to_s();
        const SpanFigures all = measure(trace);
        out.insert(out.end(), {all.charge, all.observed_s, all.missing_s, all.min.value_or(0),
                               all.max.value_or(0)});
        measure(trace, from + (to - from) / 3, to - (to - from) / 5);
        envelope(trace, from, to, 200);
        value_at(trace, (from + to) / 2);
        for (const Block& block : trace.blocks()) {
          std::vector<double> values(
              static_cast<std::size_t>(std::min<std::int64_t>(block.count, 70000)));
          trace.read(block, 0, values);
        }
      });
    }
    guarded([&] {
      const book::SplitCapture split = book::load_split(book, info);
      const Ledger ledger = make_ledger({{split.trace.get(), split.visits, split.basis()}});
      for (const LedgerRow& row : ledger.rows) out.push_back(row.charge);
    });
  }
  return out;
}

std::vector<std::string> column(sqlite3* db, const std::string& sql, int at) {
  std::vector<std::string> out;
  sqlite3_stmt* rows = nullptr;
  if (sqlite3_prepare_v2(db, sql.c_str(), -1, &rows, nullptr) == SQLITE_OK) {
    while (sqlite3_step(rows) == SQLITE_ROW)
      out.emplace_back(reinterpret_cast<const char*>(sqlite3_column_text(rows, at)));
  }
  sqlite3_finalize(rows);
  return out;
}

void bind_changed(sqlite3_stmt* to, sqlite3_stmt* from, Chance& chance) {
  switch (chance.take<std::uint8_t>() % 8) {
    case 0:
      sqlite3_bind_int64(to, 1, chance.take<std::int64_t>());
      break;
    case 1:
      sqlite3_bind_double(to, 1, chance.take<double>());
      break;
    case 2: {
      const std::string text = chance.text();
      sqlite3_bind_text(to, 1, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
      break;
    }
    case 3: {
      constexpr double kOdd[] = {0,      -1,     1e308,
                                 -1e308, 1e-308, std::numeric_limits<double>::infinity()};
      sqlite3_bind_double(to, 1, kOdd[chance.below(6)]);
      break;
    }
    case 4:
      sqlite3_bind_int64(to, 1, sqlite3_column_int64(from, 0) + chance.take<std::int8_t>());
      break;
    case 5:
      sqlite3_bind_double(to, 1,
                          sqlite3_column_double(from, 0) * (1 + chance.take<std::int8_t>() / 64.0));
      break;
    default: {  // its bytes, with one changed
      const auto* data = static_cast<const char*>(sqlite3_column_blob(from, 0));
      std::string bytes(data ? data : "", data ? sqlite3_column_bytes(from, 0) : 0);
      if (!bytes.empty()) bytes[chance.below(bytes.size())] ^= chance.take<char>();
      if (chance.take<std::uint8_t>() % 4 == 0 && !bytes.empty()) bytes.pop_back();
      if (sqlite3_column_type(from, 0) == SQLITE_TEXT) {
        sqlite3_bind_text(to, 1, bytes.data(), static_cast<int>(bytes.size()), SQLITE_TRANSIENT);
      } else {
        sqlite3_bind_blob(to, 1, bytes.data(), static_cast<int>(bytes.size()), SQLITE_TRANSIENT);
      }
    }
  }
}

void change_row(sqlite3* db, Chance& chance) {
  const auto tables =
      column(db, "SELECT name FROM sqlite_schema WHERE type='table' ORDER BY name", 0);
  if (tables.empty()) return;
  const std::string table = tables[chance.below(tables.size())];
  const auto columns = column(db, "PRAGMA table_info(" + table + ")", 1);
  auto keys =
      column(db, "SELECT name FROM pragma_table_info('" + table + "') WHERE pk>0 ORDER BY pk", 0);
  if (keys.empty()) keys = {"rowid"};
  const auto count = column(db, "SELECT count(*) FROM " + table, 0);
  const std::size_t row = chance.below(std::stoul(count.at(0)));
  std::string key;
  for (const std::string& k : keys) key += (key.empty() ? "" : ",") + k;
  const std::string where =
      fmt::format("({0}) IN (SELECT {0} FROM {1} LIMIT 1 OFFSET {2})", key, table, row);
  if (chance.take<std::uint8_t>() % 8 == 0) {
    sqlite3_exec(db, ("DELETE FROM " + table + " WHERE " + where).c_str(), nullptr, nullptr,
                 nullptr);
    return;
  }
  const std::string changed = columns[chance.below(columns.size())];
  sqlite3_stmt *from = nullptr, *to = nullptr;
  sqlite3_prepare_v2(db, fmt::format("SELECT {} FROM {} WHERE {}", changed, table, where).c_str(),
                     -1, &from, nullptr);
  sqlite3_prepare_v2(db, fmt::format("UPDATE {} SET {}=?1 WHERE {}", table, changed, where).c_str(),
                     -1, &to, nullptr);
  if (from && to && sqlite3_step(from) == SQLITE_ROW) {
    bind_changed(to, from, chance);
    sqlite3_reset(from);
    sqlite3_step(to);
  }
  sqlite3_finalize(from);
  sqlite3_finalize(to);
}

void change_byte(Chance& chance) {
  std::fstream file(path, std::ios::in | std::ios::out | std::ios::binary);
  const auto size = static_cast<std::uint32_t>(fs::file_size(path));
  const std::uint32_t at = chance.take<std::uint32_t>() % size;
  file.seekg(at);
  const char old = static_cast<char>(file.get());
  file.seekp(at);
  file.put(static_cast<char>(old ^ (chance.take<char>() | 1)));
}

/// Checksums over what stands there now.
void forge() {
  try {
    const book::Database db(path, book::Database::Access::write);
    db.execute("DELETE FROM checksum");
    book::seal_all(db);
  } catch (const Error&) {
  }
}

bool same(const std::vector<double>& a, const std::vector<double>& b) {
  return a.size() == b.size() && std::equal(a.begin(), a.end(), b.begin());
}

}  // namespace

extern "C" int LLVMFuzzerInitialize(int*, char***) {
  std::string name = "/dev/shm/kuvio-fuzz-XXXXXX";
  folder = ::mkdtemp(name.data());
  std::atexit([] {
    std::error_code ignored;
    fs::remove_all(folder, ignored);
  });
  base = folder + "/base.kuvio";
  path = folder + "/b.kuvio";
  make_base();
  {
    const auto book = book::Book::open(base, book::Book::Mode::write);
    right = read_all(book);
  }
  if (right.size() < 20) std::abort();
  return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  Chance chance(data, size);
  fs::copy_file(base, path, fs::copy_options::overwrite_existing);
  const auto first = chance.take<std::uint8_t>();
  const bool forged = first % 2 == 1, cut = first % 32 == 2;
  for (int n = 0; n < 6 && !chance.empty(); ++n) {
    if (chance.take<std::uint8_t>() % 4 == 0) {
      change_byte(chance);
      continue;
    }
    sqlite3* db = nullptr;
    if (sqlite3_open(path.c_str(), &db) == SQLITE_OK) {
      sqlite3_exec(db, "PRAGMA synchronous=OFF; PRAGMA journal_mode=MEMORY", nullptr, nullptr,
                   nullptr);
      change_row(db, chance);
    }
    sqlite3_close(db);
  }
  if (cut) fs::resize_file(path, chance.take<std::uint32_t>() % fs::file_size(path));
  if (forged) forge();
  try {
    const auto book = book::Book::open(path, book::Book::Mode::read);
    const auto figures = read_all(book);
    if (book::verify(book).empty() && !forged && !same(figures, right)) {
      std::cerr << "verify calls it whole, and its figures differ\n";
      std::abort();
    }
  } catch (const Error&) {
  }
  if (first % 4 < 2) try {  // whoever writes to it finds its state first
      const auto book = book::Book::open(path, book::Book::Mode::write);
      for (const book::CaptureInfo& info : book.captures()) {
        if (info.damage.empty()) book.discard(info.id);
      }
    } catch (const Error&) {
    }
  fs::remove(path);
  return 0;
}
