// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/copy.h"

#include "book/capture_writer.h"
#include "book/notes.h"
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
using test::samples;
namespace fs = std::filesystem;

TEST_CASE("a copy holds what a book holds, also while it grows, and replaces nothing") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  add_capture(book, 200'000);
  book::put(book, {{0, "reference", "1"}});
  book::CaptureWriter writer(book, {"grows", "2", {}, false}, {channel_of_ms()});
  std::int64_t at = 0;
  const auto grow = [&] {
    writer.append(0, at, 1, std::vector<double>(1000, 1e-3));
    at += 1000;
    writer.flush();
  };
  grow();
  book::copy(Book::open(path, Book::Mode::read), folder / "c.kuvio", [&](double) {
    grow();  // a writer goes on meanwhile
    return true;
  });
  CHECK(beside(folder / "c.kuvio").empty());
  const Book copied = Book::open(folder / "c.kuvio", Book::Mode::read);
  CHECK(copied.unclean().empty());
  CHECK(book::verify(copied).empty());
  const auto captures = copied.captures();
  REQUIRE(captures.size() == 2);
  CHECK(captures[0].channels[0].samples == 200'000);
  CHECK(captures[1].interrupted);
  CHECK(captures[1].end_reason == "copied while it was recorded");
  CHECK(captures[1].channels[0].samples == 1000);
  CHECK(copied.note(0, "reference") == "1");
  CHECK_THROWS_WITH(book::copy(book, folder / "c.kuvio"), Catch::Contains("already"));
  CHECK_THROWS_WITH(book::copy(book, folder / "d.kuvio", [](double) { return false; }),
                    Catch::Contains("cancelled"));
  CHECK_FALSE(fs::exists(folder / "d.kuvio"));
  writer.finish("made", false);
  CHECK(samples(path) == 200'000 + at);
}

TEST_CASE("a copy without deleted captures has neither them nor the room they took") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  add_capture(book, 8'000'000);
  add_capture(book, 100'000);
  book::put(book, {book::deleted_note(1, true), {0, "reference", "2"}});
  book::copy(book, folder / "all.kuvio");
  book::copy(book, folder / "kept.kuvio", {}, true);
  CHECK(fs::file_size(folder / "kept.kuvio") < fs::file_size(folder / "all.kuvio") / 5);
  CHECK(beside(folder / "kept.kuvio").empty());
  const Book kept = Book::open(folder / "kept.kuvio", Book::Mode::read);
  CHECK(book::verify(kept).empty());
  CHECK(kept.deleted().empty());
  REQUIRE(kept.captures().size() == 1);
  CHECK(kept.captures()[0].id == 2);
  CHECK(kept.captures()[0].channels[0].samples == 100'000);
  CHECK(kept.note(0, "reference") == "2");
  // The book itself still has it, and a copy of all can put it back.
  CHECK(book.deleted().count(1) == 1);
  CHECK(Book::open(folder / "all.kuvio", Book::Mode::read).deleted().count(1) == 1);
}
