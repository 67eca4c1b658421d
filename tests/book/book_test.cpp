// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/book.h"

#include "book/make.h"
#include "book/owner.h"
#include "book/sqlite.h"
#include "book/text.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <sys/wait.h>
#include <unistd.h>

using namespace kuvio;
using book::Book;

namespace {
std::string failure_of(const std::string& path, Book::Mode mode = Book::Mode::read) {
  try {
    Book::open(path, mode);
  } catch (const Error& e) {
    return e.what();
  }
  return "opened";
}
}  // namespace

TEST_CASE("what is no book is refused with the reason") {
  const test::Folder folder;
  CHECK_THAT(failure_of(folder / "none.kuvio"), Catch::Contains("no such book"));
  CHECK_THAT(failure_of(folder.write("empty.kuvio", "")), Catch::Contains("it is empty"));
  CHECK_THAT(failure_of(folder.write("junk.kuvio", std::string(5000, 'x'))),
             Catch::Contains("not a Kuvio book"));
  CHECK_THAT(failure_of(folder.write("head.kuvio", "SQLite format 3")),
             Catch::Contains("head.kuvio"));
  CHECK_THAT(failure_of(folder / "no/such/folder/b.kuvio", Book::Mode::create),
             Catch::Contains("no such folder"));
  {
    const book::Database other(folder / "other.kuvio", book::Database::Access::create);
    other.execute("CREATE TABLE t(x)");
  }
  CHECK_THAT(failure_of(folder / "other.kuvio"), Catch::Contains("another program's"));
  for (const auto& [change, told] :
       {std::pair{"PRAGMA user_version=99", "version 99"},
        std::pair{"CREATE TABLE extra(x)", "altered book"},
        std::pair{"CREATE TRIGGER t AFTER INSERT ON capture BEGIN SELECT 1; END",
                  "altered book"}}) {
    const std::string path = folder / "changed.kuvio";
    std::filesystem::remove(path);
    { Book::open(path, Book::Mode::create); }
    { book::Database(path, book::Database::Access::write).execute(change); }
    CHECK_THAT(failure_of(path), Catch::Contains(told));
  }
}

TEST_CASE("captures keep name, build, conditions, log, events and splits") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  book::CaptureWriter writer(book, {"night", "2.3.0", {{"voltage", "3.6 V"}}, false},
                             {test::current_channel()});
  writer.append(0, 0, 1, test::noise(1000, 1));
  writer.log({0.5, false, "wake: timer"});
  writer.log({0.25, true, "uplink"});
  writer.event({EventKind::output_on, 0.1, 0.2, ""});
  writer.flag(0, {Flag::over_range, 0.3, 0.4, 100});
  writer.finish("complete", false);
  const book::CaptureInfo c = book.find("night");
  CHECK(c.build == "2.3.0");
  CHECK(c.conditions.at("voltage") == "3.6 V");
  CHECK(c.duration_s() == Approx(1.0));
  CHECK(c.channels.front().flagged == 100);
  CHECK_FALSE(c.interrupted);
  const auto log = book.log(c.id);
  REQUIRE(log.size() == 2);
  CHECK(log[0].sent);
  CHECK(log[1].text == "wake: timer");
  CHECK(book.output_switches(c.id).front().latest_s == 0.2);
  book.save_split(
      c.id, {0, c.channels.front().id, "r", "text", {{"A", 0, 0.5, false}, {"B", 0.5, 1, false}}});
  CHECK(book.split(c.id)->visits[1] == Visit{"B", 0.5, 1, false});
  CHECK(book.builds() == std::vector<std::string>{"2.3.0"});
  CHECK_THROWS_WITH(book.find("day"), Catch::Contains("no such capture"));
}

TEST_CASE("a writer that is killed leaves a capture that is whole to its last flush and marked") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  const auto values = test::noise(90'000, 2);
  const bool importing = GENERATE(false, true);
  const pid_t child = ::fork();
  if (child == 0) {
    Book book = Book::open(path, Book::Mode::create);
    book::CaptureWriter writer(book, {"c", "", {}, importing}, {test::current_channel()});
    writer.append(0, 0, 1, values);
    writer.flush();
    writer.append(0, 90'000, 1, values);  // never flushed
    ::kill(::getpid(), SIGKILL);
  }
  ::waitpid(child, nullptr, 0);
  {
    const Book reader = Book::open(path, Book::Mode::read);
    const auto captures = reader.captures();
    REQUIRE(captures.size() == (importing ? 0 : 1));
    if (!importing) {
      CHECK(captures[0].interrupted);
      CHECK(captures[0].end_reason == "the recorder exited unexpectedly");
      CHECK(captures[0].channels[0].samples == 90'000);
    }
  }
  const Book writer = Book::open(path, Book::Mode::write);  // settles it
  auto chunks = writer.database().prepare("SELECT count(*) FROM chunk");
  chunks.step();
  CHECK(chunks.integer(0) == (importing ? 0 : 1));
}

TEST_CASE("a process is told alive from dead") {
  CHECK(book::is_alive(book::own_identity()));
  CHECK_FALSE(book::is_alive("other-boot:1:1"));
  CHECK_FALSE(book::is_alive("nonsense"));
}

TEST_CASE("unprintable bytes are shown, not swallowed") {
  CHECK(book::printable("ok \u00b5A") == "ok \u00b5A");
  CHECK(book::printable("a\x01\xff") == "a\\x01\\xFF");
}
