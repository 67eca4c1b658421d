// SPDX-License-Identifier: GPL-3.0-or-later
// A book is one file: what lies beside it while it is open, what is left when it is closed, what a
// lone copy says, and what checksums find.

#include "book/book_file.h"
#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "book/checksums.h"
#include "book/make.h"
#include "book/verify.h"
#include "core/measure.h"

#include "book_files.h"
#include "support.h"

#include <catch2/catch.hpp>

#include <filesystem>
#include <optional>
#include <random>

using namespace kuvio;
using book::Book;
using test::add_capture;
using test::beside;
using test::channel_of_ms;
using test::read_file;
using test::samples;
namespace fs = std::filesystem;

TEST_CASE("whoever lets go of a book last leaves one file, in any order of readers and writers") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  std::mt19937 random(std::random_device{}());
  for (int round = 0; round < 30; ++round) {
    std::vector<std::optional<Book>> open;
    for (int i = 0; i < 5; ++i) {
      open.emplace_back(
          Book::open(path, i == 0 || random() % 2 ? Book::Mode::create : Book::Mode::read));
      CHECK(book::file_head(path).wants_log);
    }
    for (auto& book : open) {
      if (random() % 2) (void)book->captures();
    }
    if (round % 3 == 0) add_capture(*open[0], 1000);
    std::shuffle(open.begin(), open.end(), random);
    for (auto& book : open) book.reset();
    CHECK(beside(path).empty());
    CHECK_FALSE(book::file_head(path).wants_log);
  }
  // Copied alone, it is all there.
  fs::copy_file(path, folder / "alone.kuvio");
  CHECK(samples(folder / "alone.kuvio") == 10'000);
  const Book alone = Book::open(folder / "alone.kuvio", Book::Mode::read);
  CHECK(alone.unclean().empty());
  CHECK(book::verify(alone).empty());
}

TEST_CASE("reading leaves a closed book as it is, to the byte") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 1000);
  }
  const std::string before = read_file(path);
  CHECK(samples(path) == 1000);
  CHECK(book::verify(Book::open(path, Book::Mode::read)).empty());
  CHECK(read_file(path) == before);
  CHECK(beside(path).empty());
}

TEST_CASE("a journal beside a book is not followed: what it names stays") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio", victim = folder.write("victim.txt", "mine");
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 10);
  }
  folder.write("b.kuvio-journal", std::string("\xd9\xd5\x05\xf9\x20\xa1\x63\xd7", 8) + victim);
  CHECK_THROWS_WITH(Book::open(path, Book::Mode::write), Catch::Contains("b.kuvio-journal"));
  CHECK_THROWS_WITH(Book::open(path, Book::Mode::create), Catch::Contains("b.kuvio-journal"));
  CHECK(fs::exists(victim));
}

TEST_CASE("a book that is taken away while it is recorded into goes on in one beside it") {
  for (const char* how : {"renamed", "deleted", "replaced"}) {
    INFO(how);
    const test::Folder folder;
    const std::string path = folder / "b.kuvio", moved = folder / "moved.kuvio";
    const std::string goes_on = folder / "b goes on.kuvio";
    {
      Book book = Book::open(path, Book::Mode::create);
      add_capture(book, 5000);
      book::CaptureWriter writer(book, {"night", "1", {{"board", "7"}}, false}, {channel_of_ms()});
      writer.append(0, 0, 1, std::vector<double>(700, 1e-3));
      writer.flush();
      if (std::string(how) == "deleted") {
        fs::remove(path);
      } else {
        fs::rename(path, moved);
      }
      if (std::string(how) == "replaced") {
        {
          Book made = Book::open(folder / "made.kuvio", Book::Mode::create);
          add_capture(made, 77);
        }
        fs::rename(folder / "made.kuvio", path);
      }
      writer.append(0, 700, 1, std::vector<double>(300, 2e-3));
      writer.flush();
      CHECK_THAT(writer.take_report(), Catch::Contains("goes on in") && Catch::Contains(goes_on));
      CHECK(writer.take_report().empty());
      CHECK(writer.book().path() == goes_on);
      writer.append(0, 1000, 1, std::vector<double>(500, 2e-3));
      writer.finish("made", false);
    }
    const Book book = Book::open(goes_on, Book::Mode::read);
    CHECK(book::verify(book).empty());
    const auto last = book.captures().back();
    CHECK(last.name == "night");
    CHECK(last.conditions.at("board") == "7");
    CHECK(last.channels[0].from_s == Approx(1.0));
    CHECK(measure(book::ChannelTrace(book, last.channels[0])).charge == Approx(0.5 * 2e-3));
    CHECK(beside(goes_on).empty());
    // What came before is finished where it was, or taken along where no name led to it any more.
    const std::string rest = std::string(how) == "deleted" ? goes_on : moved;
    const Book old = Book::open(rest, Book::Mode::read);
    CHECK(old.unclean().empty());
    CHECK(book::verify(old).empty());
    const auto captures = old.captures();
    REQUIRE(captures.size() >= 2);
    CHECK(captures[0].channels[0].samples == 5000);
    CHECK(captures[1].channels[0].samples == 1000);
    CHECK(captures[1].interrupted);
    CHECK(beside(moved).empty());
    if (std::string(how) == "replaced") {
      CHECK(samples(path) == 77);
      CHECK(book::verify(Book::open(path, Book::Mode::read)).empty());
    }
    CHECK(beside(path).empty());
  }
}

TEST_CASE("a book is open by whatever name: a link to it finds what lies beside the book") {
  const test::Folder folder;
  fs::create_directory(folder / "elsewhere");
  const std::string path = folder / "elsewhere/b.kuvio", link = folder / "link.kuvio";
  fs::create_symlink("elsewhere/b.kuvio", link);
  Book::open(path, Book::Mode::create);
  Book book = Book::open(path, Book::Mode::write);
  add_capture(book, 1000);
  const Book by_link = Book::open(link, Book::Mode::read);
  CHECK(by_link.unclean().empty());
  CHECK(by_link.captures().size() == 1);
  CHECK(samples(link) == 1000);
  CHECK(beside(link).empty());
}

TEST_CASE("the log of a large import is folded in while it goes on, and others read meanwhile") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  add_capture(book, 1000);
  const std::vector<double> values = test::noise(1 << 17, 3);  // does not pack
  constexpr int kPieces = 80;                                  // a MiB each
  std::uintmax_t longest = 0, folded = 0;
  {
    book::CaptureWriter writer(book, {"large", "", {}, true}, {test::current_channel()});
    for (int i = 0; i < kPieces; ++i) {
      writer.append(0, static_cast<std::int64_t>(i) << 17, 1, values);
      writer.flush();
      longest = std::max(longest, fs::file_size(path + "-wal"));
      folded = fs::file_size(path);
      if (i % 16 == 0) CHECK(Book::open(path, Book::Mode::read).captures().size() == 1);
    }
    writer.finish("complete", false);
  }
  CHECK(longest < (std::uintmax_t{44} << 20));
  CHECK(folded > (std::uintmax_t{40} << 20));
  CHECK(book.captures().size() == 2);
  CHECK(book.captures()[1].channels[0].samples == kPieces << 17);
  CHECK(book::verify(book).empty());
}
