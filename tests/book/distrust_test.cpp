// SPDX-License-Identifier: GPL-3.0-or-later
// What a book holds is not trusted: changed rows, foreign text, tables that hide, another's work.

#include "book/book_file.h"
#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "book/checksums.h"
#include "book/copy.h"
#include "book/notes.h"
#include "book/text.h"
#include "book/verify.h"
#include "core/measure.h"

#include "book_files.h"
#include "support.h"

#include <catch2/catch.hpp>
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <optional>
#include <random>
#include <thread>

using namespace kuvio;
using book::Book;
using test::add_capture;
using test::beside;
using test::channel_of_ms;
using test::read_file;
namespace fs = std::filesystem;

namespace {

void execute(const std::string& path, const std::string& sql) {
  sqlite3* db = nullptr;
  REQUIRE(sqlite3_open(path.c_str(), &db) == SQLITE_OK);
  char* why = nullptr;
  const int code = sqlite3_exec(db, sql.c_str(), nullptr, nullptr, &why);
  INFO(sql << ": " << (why ? why : ""));
  sqlite3_close(db);
  REQUIRE(code == SQLITE_OK);
}

}  // namespace

TEST_CASE("verify finds one changed value in any row that a figure rests on") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    book::ChannelInfo uneven = channel_of_ms();
    uneven.name = "J";
    uneven.encoding = book::Encoding::f8;
    uneven.calibration = {2, 0.5, "manual"};
    book::CaptureWriter writer(book, {"c", "1", {{"voltage", "3.6 V"}}, false},
                               {channel_of_ms(), uneven});
    writer.append(0, 0, 1, std::vector<double>(70'000, 1e-3));
    writer.append_times(1, std::vector<std::int64_t>{0, 3, 10}, std::vector<double>{1, 2, 3}, 11,
                        false);
    writer.flag(0, {Flag::over_range, 1, 2, 5});
    writer.clock(1, {0.5, 1.001, 1e-3}, {{0, 0, 1}});
    for (int i = 0; i < 14; ++i) writer.log({i * 1.0, false, "line"});
    writer.event({EventKind::mark, 1, 2, "here"});
    writer.finish("made", false);
    book::StoredSplit split;
    split.channel = 1;
    split.visits = {{"A", 0, 30, true}, {"B", 30, 70, true}};
    book.save_split(1, split);
    book::put(book, {{0, "reference", "1"}, {1, "edits", "[]"}});
    REQUIRE(book::verify(book).empty());
  }
  const std::string good = read_file(path);
  const char* const changes[] = {"UPDATE segment SET end_tick=end_tick+1 WHERE channel=2",
                                 "UPDATE segment SET start_tick=start_tick-1 WHERE channel=2",
                                 "UPDATE flag_run SET to_s=1.5",
                                 "UPDATE flag_run SET flag='dropped'",
                                 "DELETE FROM flag_run",
                                 "UPDATE clock SET rate=1.1",
                                 "UPDATE sync_point SET latest_s=0.5",
                                 "UPDATE calibration SET offset=0",
                                 "UPDATE channel SET accuracy='1 %' WHERE id=1",
                                 "UPDATE channel SET tick_den=2000 WHERE id=1",
                                 "UPDATE channel SET kind='instant' WHERE id=2",
                                 "UPDATE condition SET value='5 V'",
                                 "UPDATE capture SET build='2'",
                                 "UPDATE capture SET name='d'",
                                 "UPDATE capture SET phase='interrupted'",
                                 "UPDATE log_line SET time_s=0 WHERE id=7",
                                 "DELETE FROM log_line WHERE id=7",
                                 "UPDATE event SET text='there'",
                                 "UPDATE visit SET state='C' WHERE ordinal=1",
                                 "UPDATE visit SET from_s=-1e308 WHERE ordinal=0",
                                 "DELETE FROM visit WHERE ordinal=0",
                                 "DELETE FROM visit",
                                 "UPDATE split SET rules=7",
                                 "DELETE FROM split",
                                 "UPDATE note SET value='2' WHERE key='reference'",
                                 "DELETE FROM note WHERE key='edits'",
                                 "INSERT INTO note VALUES(0, 'duty', '{}')",
                                 "UPDATE chunk SET q=q*2 WHERE segment=0",
                                 "UPDATE chunk SET strides_crc=strides_crc+1",
                                 "DELETE FROM checksum WHERE kind='capture'",
                                 "UPDATE checksum SET crc=crc+1 WHERE kind='split'"};
  for (const char* sql : changes) {
    INFO(sql);
    std::ofstream(path, std::ios::binary | std::ios::trunc) << good;
    execute(path, sql);
    CHECK_FALSE(book::verify(Book::open(path, Book::Mode::read)).empty());
  }
  // What people change in the application is no damage.
  std::ofstream(path, std::ios::binary | std::ios::trunc) << good;
  {
    const Book book = Book::open(path, Book::Mode::write);
    book::put(book, {{1, "name", "other"},
                     {1, "build", "9"},
                     {0, "reference", std::nullopt},
                     {0, "wanted", "2 y"}});
    book::StoredSplit split;
    split.channel = 1;
    split.visits = {{"A", 0, 70, true}};
    book.save_split(1, split);
    CHECK(book::verify(book).empty());
    book.discard(1);
    CHECK(book::verify(book).empty());
  }
}

TEST_CASE("one damaged capture locks none of the others away, and verify names it") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 1000, "1");
    add_capture(book, 2000, "2");
  }
  execute(path, "UPDATE channel SET tick_den=-5 WHERE capture=1");
  const Book book = Book::open(path, Book::Mode::read);
  const auto captures = book.captures();
  REQUIRE(captures.size() == 2);
  CHECK_THAT(captures[0].damage, Catch::Contains("no time base"));
  CHECK(captures[1].damage.empty());
  CHECK(measure(book::ChannelTrace(book, captures[1].channels[0])).charge == Approx(2e-3));
  CHECK_THROWS_WITH(book.capture(1), Catch::Contains("no time base"));
  CHECK(book.capture(2).channels.size() == 1);
  const auto problems = book::verify(book);
  CHECK(std::any_of(problems.begin(), problems.end(), [](const book::Problem& p) {
    return p.what.find("no time base") != std::string::npos;
  }));
}

TEST_CASE("a half-done import of somebody who finished meanwhile is not erased") {
  // The writer that finishes between a look and the lock: seen dead by its owner, done by its
  // phase.
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  std::jthread makers[4];
  std::atomic<int> made{0};
  for (auto& maker : makers) {
    maker = std::jthread([&] {
      for (int i = 0; i < 20; ++i) {
        Book book = Book::open(path, Book::Mode::create);
        book::CaptureWriter writer(book, {"i", "1", {}, true}, {channel_of_ms()});
        writer.append(0, 0, 1, std::vector<double>(50, 1e-3));
        writer.finish("imported", false);
        ++made;
      }
    });
  }
  for (auto& maker : makers) maker.join();
  CHECK(Book::open(path, Book::Mode::read).captures().size() == static_cast<std::size_t>(made));
  CHECK(beside(path).empty());
  CHECK(book::verify(Book::open(path, Book::Mode::read)).empty());
}

TEST_CASE("text from outside is valid UTF-8, without controls and turned directions") {
  CHECK(book::printable("Stromst\xe4rke") == "Stromst\\xE4rke");
  CHECK(book::printable("µA ✓ 𝄞") == "µA ✓ 𝄞");
  CHECK(book::printable("\xed\xa0\x80") == "\\xED\\xA0\\x80");                    // a surrogate
  CHECK(book::printable("\xc0\xaf\xe0\x80\xaf") == "\\xC0\\xAF\\xE0\\x80\\xAF");  // too long forms
  CHECK(book::printable("\xf4\x90\x80\x80") == "\\xF4\\x90\\x80\\x80");           // beyond U+10FFFF
  CHECK(book::printable("\x1b[2J\n\x7f") == "\\x1B[2J\\x0A\\x7F");
  CHECK(book::printable("\xc2\x9b"
                        "1m") == "\\xC2\\x9B1m");  // C1
  CHECK(book::printable("a\xe2\x80\xae"
                        "b") == "a\\xE2\\x80\\xAEb");  // right to left
  CHECK(book::printable("\xe2\x80") == "\\xE2\\x80");
}

TEST_CASE("a book of version 5 is read as it is, and gets its checksums from the first writer") {
  const test::Folder folder;
  const std::string path = folder / "v5.kuvio";
  fs::copy_file(KUVIO_SOURCE "/tests/fixtures/book-v5.kuvio", path);
  {
    // It says "write-ahead log" in its header, as every closed book of its version did.
    const Book old = Book::open(path, Book::Mode::read);
    CHECK(old.version() == 5);
    CHECK(old.unclean().empty());
    CHECK(book::verify(old).empty());
    CHECK(old.split(1)->visits.size() == 20);
  }
  { CHECK(Book::open(path, Book::Mode::write).version() == 6); }
  CHECK(beside(path).empty());
  CHECK_FALSE(book::file_head(path).wants_log);
  CHECK(book::verify(Book::open(path, Book::Mode::read)).empty());
  execute(path, "UPDATE visit SET to_s=to_s+1e-4 WHERE ordinal=3");
  CHECK_FALSE(book::verify(Book::open(path, Book::Mode::read)).empty());
}

TEST_CASE("channels of one name in a book are told apart") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    std::vector<book::ChannelInfo> channels(3, channel_of_ms());
    book::CaptureWriter writer(book, {"c", "1", {}, false}, channels);
    for (std::size_t c = 0; c < 3; ++c)
      writer.append(c, 0, 1, std::vector<double>(100, 1e-3 * static_cast<double>(c + 1)));
    writer.finish("made", false);
  }
  const Book book = Book::open(path, Book::Mode::read);
  const auto capture = book.capture(1);
  REQUIRE(capture.channels.size() == 3);
  const char* names[] = {"I", "I2", "I3"};
  for (std::size_t c = 0; c < 3; ++c) {
    CHECK(capture.channels[c].name == names[c]);
    CHECK(*measure(book::ChannelTrace(book, *capture.channel(names[c]))).mean() ==
          Approx(1e-3 * static_cast<double>(c + 1)));
  }
}

TEST_CASE("tables, triggers and views that hide behind SQLite's own names make no book") {
  for (const char* ddl :
       {"CREATE TABLE sqlitexmore(a)", "CREATE VIEW sqlitexseen AS SELECT * FROM capture",
        "CREATE TRIGGER sqlitexacts AFTER INSERT ON note BEGIN DELETE FROM capture; END",
        "CREATE INDEX sqlitexfast ON note(value)"}) {
    INFO(ddl);
    const test::Folder folder;
    const std::string path = folder / "b.kuvio";
    {
      Book book = Book::open(path, Book::Mode::create);
      add_capture(book, 10);
    }
    execute(path, ddl);
    for (const auto mode : {Book::Mode::read, Book::Mode::write})
      CHECK_THROWS_WITH(Book::open(path, mode), Catch::Contains("altered book"));
  }
}

TEST_CASE("text that is too long is kept and shown shortened, and verify says so") {
  CHECK(book::shortened("short", 5) == "short");
  const std::string umlauts = [] {
    std::string out;
    for (int i = 0; i < 1000; ++i) out += "ü";
    return out;
  }();
  for (std::size_t most = 20; most < 60; ++most) {
    const std::string cut = book::shortened(umlauts, most);
    CHECK(cut.size() <= most);
    CHECK(cut == book::printable(cut));  // no character is cut in two
    CHECK(cut.ends_with("… (2000 bytes)"));
  }
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    book::CaptureWriter writer(book, {std::string(5000, 'n'), "b", {{"k", std::string(5000, 'v')}}},
                               {channel_of_ms()});
    writer.append(0, 0, 1, std::vector<double>(10, 1e-3));
    writer.log({0.001, false, std::string(100000, 'l')});
    writer.finish("made", false);
    const auto info = book.captures().at(0);
    CHECK(info.name.size() <= book::kMostName);
    CHECK(info.conditions.at("k").size() <= book::kMostName);
    CHECK(book.log(1).at(0).text.size() <= book::kMostLine);
    CHECK(book::verify(book).empty());
    CHECK_THROWS_WITH(book::put(book, {{0, "budget", std::string(2 << 20, 'x')}}),
                      Catch::Contains("too long to keep"));
    add_capture(book, 10);
  }
  const auto with = [&](const std::string& sql) {
    const std::string changed = folder / "changed.kuvio";
    fs::copy_file(path, changed, fs::copy_options::overwrite_existing);
    execute(changed, sql);
    return Book::open(changed, Book::Mode::read);
  };
  const auto told = [](const Book& book) {
    std::string out;
    for (const book::Problem& p : book::verify(book)) out += p.where + ": " + p.what + "\n";
    return out;
  };
  {
    const Book book = with("UPDATE capture SET name=printf('%.*c', 3000000, 'x') WHERE id=1");
    CHECK(book.captures().at(0).name.size() <= book::kMostName);
    CHECK_THAT(told(book), Catch::Contains("3000000 bytes long"));
  }
  {
    const Book book = with("UPDATE log_line SET text=printf('%.*c', 3000000, 'x')");
    CHECK(book.log(1).at(0).text.size() <= book::kMostLine);
    CHECK_THAT(told(book), Catch::Contains("a log line: is 3000000 bytes long"));
  }
  {  // beyond 16 MB a value is not read at all; the other capture is
    const Book book = with("UPDATE capture SET build=zeroblob(17000000) WHERE id=1");
    REQUIRE(book.captures().size() == 2);
    CHECK_THAT(book.captures().at(0).damage, Catch::Contains("longer than 16 MB"));
    CHECK(book.captures().at(1).damage.empty());
    CHECK_THAT(told(book), Catch::Contains("longer than 16 MB"));
  }
  {
    const Book book = with(
        "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i+1 FROM n WHERE i<20000) INSERT INTO "
        "channel SELECT NULL, capture, 'c'||i, quantity, unit, kind, encoding, tick_num, tick_den, "
        "input, accuracy FROM channel, n WHERE id=1");
    CHECK_THAT(book.captures().at(0).damage, Catch::Contains("more than 256 channels"));
    CHECK(book.captures().at(1).channels.size() == 1);
  }
}
