// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/verify.h"

#include "book/make.h"
#include "book/sqlite.h"
#include "core/error.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using book::Book;

namespace {

std::string made(const test::Folder& folder, bool packed = false) {
  const std::string path = folder / "b.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  book::CaptureWriter writer(book, {"c", "1", {}, false},
                             {test::current_channel(SampleKind::instant)});
  auto values = test::noise(140'000, 1);
  if (packed) {
    for (double& v : values) v = std::round(v * 1e6) / 1e6;
  }
  writer.append(0, 0, 1, values);
  writer.append(0, 200'000, 1, test::noise(1000, 2));
  writer.finish("done", false);
  return path;
}

std::vector<book::Problem> after(const std::string& change, bool packed) {
  const test::Folder folder;
  const std::string path = made(folder, packed);
  {
    const book::Database db(path, book::Database::Access::write);
    db.execute("PRAGMA foreign_keys=OFF");
    db.execute(change);
  }
  return book::verify(Book::open(path, Book::Mode::read));
}

}  // namespace

TEST_CASE("a sound book verifies") {
  const test::Folder folder;
  CHECK(book::verify(Book::open(made(folder), Book::Mode::read)).empty());
}

TEST_CASE("verify finds and names damage") {
  const std::string change = GENERATE(
      // one bit of one sample
      "UPDATE chunk_samples SET data=CAST(substr(data,1,1000)||x'AA'||substr(data,1002) AS BLOB) "
      "WHERE rowid=(SELECT min(id) FROM chunk_samples)+1",
      "UPDATE chunk_strides SET data=zeroblob(length(data)) WHERE rowid=(SELECT min(id) FROM "
      "chunk_strides)",
      "UPDATE chunk SET q=q+1 WHERE id=(SELECT max(id) FROM chunk)",
      "DELETE FROM chunk_samples WHERE id=(SELECT max(id) FROM chunk)",
      "UPDATE chunk SET packed=zeroblob(96) WHERE id=(SELECT min(id) FROM chunk)",
      "UPDATE chunk SET packed=x'01' WHERE id=(SELECT min(id) FROM chunk)",
      "UPDATE chunk SET packed=NULL WHERE id=(SELECT min(id) FROM chunk)",
      "DELETE FROM chunk WHERE id=(SELECT min(id) FROM chunk)",
      "UPDATE segment SET samples=samples+5 WHERE seq=0", "UPDATE segment SET period_ticks=-3",
      "UPDATE segment SET start_tick=9000000000000000000", "UPDATE chunk SET samples=0",
      "UPDATE channel SET tick_den=0",
      "INSERT INTO chunk VALUES(999<<32, 0, 0, 1, 0, 0, x'', 0, 0, NULL, NULL)");
  const bool packed = GENERATE(true, false);
  if (!packed && change.find("packed=NULL") != std::string::npos) return;  // it is so
  INFO(change);
  const auto problems = after(change, packed);
  REQUIRE_FALSE(problems.empty());
  CHECK_FALSE(problems.front().what.empty());
}

TEST_CASE("a torn file is damage, not a crash") {
  const test::Folder folder;
  const std::string path = made(folder);
  const auto size = std::filesystem::file_size(path);
  for (const double share : {0.9, 0.5, 0.1, 0.02}) {
    std::filesystem::resize_file(path,
                                 static_cast<std::uintmax_t>(static_cast<double>(size) * share));
    bool found = false;
    try {
      found = !book::verify(Book::open(path, Book::Mode::read)).empty();
    } catch (const Error& e) {
      found = e.failure() == Failure::bad_data;
    }
    CHECK(found);
  }
}

TEST_CASE("reading a damaged chunk is an error that names it, reading others goes on") {
  const test::Folder folder;
  const std::string path = made(folder);
  {
    const book::Database db(path, book::Database::Access::write);
    db.execute(
        "UPDATE chunk_samples SET data=zeroblob(length(data)) WHERE rowid=(SELECT min(id) FROM "
        "chunk_samples)+1");
  }
  const Book book = Book::open(path, Book::Mode::read);
  const book::ChannelTrace trace(book, book.captures().front().channels.front());
  CHECK_NOTHROW(measure(trace, 1.5, 2.5));
  CHECK_THROWS_WITH(measure(trace, 70.5005, 70.6005),
                    Catch::Contains("damaged book") && Catch::Contains("chunk"));
}
