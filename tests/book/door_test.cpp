// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/door.h"

#include "book/book_file.h"

#include "book_files.h"
#include "support.h"

#include <catch2/catch.hpp>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <random>
#include <thread>

using namespace kuvio;
using book::Book;
using test::add_capture;
using test::beside;
using test::samples;

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
