// SPDX-License-Identifier: GPL-3.0-or-later
// A book is one file: what lies beside it while it is open, what is left when it is closed, what a
// lone copy says, and what checksums find.

#include "book/book_file.h"
#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "book/checksums.h"
#include "book/copy.h"
#include "book/door.h"
#include "book/notes.h"
#include "book/text.h"
#include "book/verify.h"
#include "core/measure.h"

#include "book_files.h"
#include "support.h"

#include <catch2/catch.hpp>
#include <sqlite3.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
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

std::int64_t samples(const std::string& path) {
  std::int64_t out = 0;
  for (const auto& c : Book::open(path, Book::Mode::read).captures())
    for (const auto& channel : c.channels) out += channel.samples;
  return out;
}

}  // namespace

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

TEST_CASE("however many let go of a book at once, it is closed in the end, and says nothing else") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 1000);
  }
  for (int round = 0; round < 25; ++round) {
    std::vector<std::jthread> many;
    for (int k = 0; k < 6; ++k) {
      many.emplace_back([&, k] {
        for (int i = 0; i < 4; ++i)
          (void)Book::open(path, (k + i) % 3 == 0 ? Book::Mode::read : Book::Mode::write);
      });
    }
    many.clear();
    REQUIRE_FALSE(book::file_head(path).wants_log);
    REQUIRE(beside(path).empty());
  }
  CHECK(Book::open(path, Book::Mode::read).unclean().empty());
}

TEST_CASE(
    "wherever a program dies that opens a book or lets go of it, nothing false is said of it") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 1000);
  }
  std::mt19937 random(std::random_device{}());
  int died = 0;
  for (int round = 0; round < 150; ++round) {
    const pid_t child = ::fork();
    REQUIRE(child >= 0);
    if (child == 0) {
      for (;;) (void)Book::open(path, Book::Mode::write);
    }
    ::usleep(static_cast<useconds_t>(random() % 12000));
    ::kill(child, SIGKILL);
    int status = 0;
    REQUIRE(::waitpid(child, &status, 0) == child);
    died += WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL ? 1 : 0;
    if (round % 2 == 0) {
      const Book book = Book::open(path, Book::Mode::read);
      REQUIRE(book.unclean().empty());
      REQUIRE(book.captures().size() == 1);
    } else {
      REQUIRE(Book::open(path, Book::Mode::write).unclean().empty());
    }
    REQUIRE(beside(path).empty());
    REQUIRE_FALSE(book::file_head(path).wants_log);
  }
  CHECK(died == 150);
  CHECK(samples(path) == 1000);
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

TEST_CASE("somebody who stands in the door for ever is passed by") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    Book book = Book::open(path, Book::Mode::create);
    add_capture(book, 10);
  }
  const book::Door other(path);
  REQUIRE(other.is_held());
  CHECK(samples(path) == 10);
}
