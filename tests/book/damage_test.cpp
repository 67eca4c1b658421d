// SPDX-License-Identifier: GPL-3.0-or-later
// Books are untrusted: whatever a file holds, reading it ends in figures or in an Error.

#include "book/analysis.h"
#include "book/make.h"
#include "book/sqlite.h"
#include "book/verify.h"
#include "core/error.h"
#include "core/line_up.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using book::Book;

namespace {

std::string make(const test::Folder& folder) {
  const std::string path = folder / "b.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  book::CaptureWriter writer(book, {"c", "1", {{"voltage", "3.6 V"}}, false},
                             {test::current_channel(SampleKind::averaged, book::Encoding::f4)});
  writer.append(0, 0, 1, test::noise(70'000, 1, true));
  std::vector<std::int64_t> times(3000);
  for (std::size_t i = 0; i < times.size(); ++i)
    times[i] = 80'000 + static_cast<std::int64_t>(i) * 3;
  writer.append_times(0, times, test::noise(3000, 2, true), times.back() + 3, true);
  writer.log({1, false, "line"});
  writer.finish("done", false);
  book.save_split(writer.id(), {0,
                                1,
                                "r",
                                "t",
                                {{"A", 0, 40, false},
                                 {"B", 40, 70, true},
                                 {kMissing, 70, 80, false},
                                 {"A", 80, 89, false}}});
  return path;
}

/// Reads all there is; an Error is a good end too.
void read_all(const std::string& path) {
  try {
    const Book book = Book::open(path, Book::Mode::read);
    book::verify(book);
    for (const book::CaptureInfo& c : book.captures()) {
      book.log(c.id);
      book.events(c.id);
      const book::SplitCapture split = book::load_split(book, c);
      std::vector<book::SplitCapture> one;
      one.push_back(book::load_split(book, c));
      book::pooled_ledger(one);
      measure(*split.trace, 10.5, 60.25);
      line_up(*split.trace, *split.trace, 0.3);
      StateRule rest;
      rest.name = "Rest";
      rest.level.high = rest.level.release_high = 1e-3;
      Recipe recipe;
      recipe.states.push_back(rest);
      book::split_capture(book, c, recipe, "");
    }
  } catch (const Error& e) {
    CHECK_FALSE(std::string(e.what()).empty());
  }
}

std::string bytes_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

TEST_CASE("bytes changed at random never crash a reader", "[one thread]") {
  const test::Folder folder;
  const std::string sound = bytes_of(make(folder));
  std::mt19937_64 random(99);
  for (int round = 0; round < 150; ++round) {
    std::string broken = sound;
    const int changes = 1 + static_cast<int>(random() % 40);
    // Half of the rounds aim at the first pages, where schema and small tables lie.
    const std::size_t reach =
        round % 2 ? broken.size() : std::min<std::size_t>(broken.size(), 16 * 16384);
    for (int i = 0; i < changes; ++i)
      broken[100 + random() % (reach - 100)] = static_cast<char>(random());
    const std::string path = folder.write("broken.kuvio", broken);
    read_all(path);
    std::filesystem::remove(path + "-wal");
    std::filesystem::remove(path + "-shm");
  }
}

TEST_CASE("values that make no sense in sound tables never crash a reader", "[one thread]") {
  for (const char* change : {"UPDATE segment SET samples=9223372036854775807",
                             "UPDATE segment SET end_tick=-5",
                             "UPDATE segment SET period_ticks=0",
                             "UPDATE segment SET first_sample=first_sample+1",
                             "UPDATE channel SET tick_num=9223372036854775807, tick_den=1",
                             "UPDATE channel SET encoding='f8'",
                             "UPDATE channel SET kind='instant'",
                             "UPDATE channel SET accuracy='excellent'",
                             "UPDATE chunk SET coarse=x''",
                             "UPDATE chunk SET first_sample=-1",
                             "UPDATE chunk_strides SET data=x'00'",
                             "UPDATE chunk SET packed=zeroblob(length(packed))",
                             "UPDATE chunk SET packed_times=packed",
                             "UPDATE chunk SET packed=NULL, packed_times=NULL",
                             "UPDATE chunk_samples SET data=x''",
                             "UPDATE chunk_times SET data=zeroblob(24000)",
                             "UPDATE visit SET to_s=from_s-1 WHERE ordinal=1",
                             "UPDATE visit SET from_s=1e308, to_s=1e309",
                             "UPDATE split SET channel=77",
                             "INSERT INTO tail VALUES(1, 0, 5, 0, x'00', x'')",
                             "DELETE FROM segment",
                             "UPDATE capture SET owner=x'00ff'",
                             "UPDATE flag_run SET from_s='x'",
                             "UPDATE flag_run SET to_s=9e999",
                             "UPDATE flag_run SET samples=-1",
                             "UPDATE condition SET value='plenty'"}) {
    const test::Folder folder;
    const std::string path = make(folder);
    {
      const book::Database db(path, book::Database::Access::write);
      db.execute(change);
    }
    INFO(change);
    read_all(path);
    SUCCEED();
  }
}
