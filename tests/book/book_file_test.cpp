// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/book_file.h"

#include "book/capture_writer.h"
#include "book/checksums.h"
#include "book/verify.h"

#include "book_files.h"
#include "support.h"

#include <catch2/catch.hpp>

#include <filesystem>

using namespace kuvio;
using book::Book;
using test::add_capture;
using test::beside;
using test::channel_of_ms;
using test::read_file;
using test::samples;
namespace fs = std::filesystem;

TEST_CASE("another's log beside a closed book is not read into it") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", other = folder / "other.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 1000);
  }
  Book open = Book::open(other, Book::Mode::create);
  add_capture(open, 3000);
  fs::copy_file(other + "-wal", path + "-wal");
  for (const auto mode : {Book::Mode::read, Book::Mode::write})
    CHECK_THROWS_WITH(Book::open(path, mode), Catch::Contains("b.kuvio-wal is another's"));
  fs::remove(path + "-wal");
  CHECK(samples(path) == 1000);
}

TEST_CASE("a log that was folded in, and whose name a power cut brought back, harms nobody") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", kept = folder / "kept";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 1000);
    fs::copy_file(path + "-wal", kept);
  }
  for (const auto mode : {Book::Mode::read, Book::Mode::write}) {
    fs::copy_file(kept, path + "-wal", fs::copy_options::overwrite_existing);
    {
      const Book book = Book::open(path, mode);
      CHECK(book::verify(book).empty());
    }
    CHECK(samples(path) == 1000);
  }
  fs::remove(path + "-wal");
  // One byte of it otherwise, its checksums made new: that is not what stands in the book.
  std::string log = read_file(kept);
  REQUIRE(log.size() > 32 + 24 + 16384);
  const bool big = (log[3] & 1) != 0;
  const auto word = [&](std::size_t at, bool big_order) {
    std::uint32_t out = 0;
    for (std::size_t i = 0; i < 4; ++i)
      out = out << 8 | static_cast<unsigned char>(log[at + (big_order ? i : 3 - i)]);
    return out;
  };
  const std::size_t page = word(8, true), frame = page + 24;
  log.resize(32 + frame * ((log.size() - 32) / frame));
  // The newest version of its page: an older one would not count.
  log.back() = static_cast<char>(log.back() ^ 1);
  std::uint32_t a = word(24, true), b = word(28, true);
  for (std::size_t at = 32; at + frame <= log.size(); at += frame) {
    const auto add = [&](std::size_t from, std::size_t count) {
      for (std::size_t i = from; i < from + count; i += 8) {
        a += word(i, big) + b;
        b += word(i + 4, big) + a;
      }
    };
    add(at, 8);
    add(at + 24, page);
    for (std::size_t i = 0; i < 4; ++i) {
      log[at + 16 + i] = static_cast<char>(a >> (24 - 8 * i));
      log[at + 20 + i] = static_cast<char>(b >> (24 - 8 * i));
    }
  }
  folder.write("b.kuvio-wal", log);
  CHECK_THROWS_WITH(Book::open(path, Book::Mode::read),
                    Catch::Contains("b.kuvio-wal is another's"));
}

TEST_CASE("a copy of the file alone, while its log lies beside it, says what it is") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", lone = folder / "lone.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  add_capture(book, 1000);
  book::CaptureWriter writer(book, {"grows", "1", {}, false}, {channel_of_ms()});
  writer.append(0, 0, 1, std::vector<double>(500, 1e-3));
  writer.flush();
  fs::copy_file(path, lone);
  {
    const Book read = Book::open(lone, Book::Mode::read);
    CHECK_THAT(read.unclean(),
               Catch::Contains("closed uncleanly") && Catch::Contains("lone.kuvio-wal"));
    const auto problems = book::verify(read);
    REQUIRE_FALSE(problems.empty());
    CHECK_THAT(problems.front().what, Catch::Contains("closed uncleanly"));
  }
  // Reading did not change that, so that the log may still be brought.
  CHECK(book::file_head(lone).wants_log);
  CHECK(beside(lone).empty());
  fs::copy_file(path + "-wal", lone + "-wal");
  CHECK(samples(lone) == 1500);
  // Written to without its log, it keeps saying so in itself.
  const std::string other = folder / "other.kuvio";
  fs::copy_file(path, other);
  {
    const Book write = Book::open(other, Book::Mode::write);
    CHECK_FALSE(write.unclean().empty());
  }
  const Book later = Book::open(other, Book::Mode::read);
  CHECK(later.unclean().empty());
  CHECK(later.note(0, "unclean").has_value());
  // A book that is open somewhere is not unclean.
  CHECK(Book::open(path, Book::Mode::read).unclean().empty());
}
