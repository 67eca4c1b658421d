// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/notes.h"

#include "book/analysis.h"
#include "book/documents.h"
#include "book/verify.h"
#include "core/error.h"
#include "core/measure.h"

#include "make.h"
#include "support.h"

#include <catch2/catch.hpp>

#include <filesystem>

using namespace kuvio;
using namespace kuvio::book;
namespace fs = std::filesystem;

namespace {

std::int64_t split_capture_of(Book& book) {
  CaptureWriter writer(book, {"one", "1.0", {}, false}, {test::current_channel()});
  std::vector<double> values;
  for (int round = 0; round < 3; ++round) {
    values.insert(values.end(), 1000, 3e-6);
    values.insert(values.end(), 200, 20e-3);
  }
  writer.append(0, 0, 1, values);
  writer.finish("complete", false);
  book.save_split(writer.id(),
                  split_capture(book, book.capture(writer.id()), test::two_levels(), "text"));
  return writer.id();
}

}  // namespace

TEST_CASE("every note can be put back, one at a time and in one transaction") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = split_capture_of(book);
  const auto first = put(book, {{0, "reference", "1.0"}, {id, "name", "first"}});
  REQUIRE(first.size() == 2);
  CHECK_FALSE(first[0].before.value);
  CHECK(first[1].before.value == "one");
  CHECK(book.capture(id).name == "first");
  const auto second = put(book, {{0, "reference", "2.0"}});
  CHECK(second[0].before.value == "1.0");
  put(book, {second[0].before});
  CHECK(book.note(0, "reference") == "1.0");
  put(book, {first[0].before, first[1].before});
  CHECK_FALSE(book.note(0, "reference"));
  CHECK(book.capture(id).name == "one");
  CHECK_THROWS_AS(put(book, {{999, "name", "nobody"}}), Error);
  CHECK_THROWS_AS(put(book, {{0, "kept", "no"}, {999, "name", "nobody"}}), Error);
  CHECK_FALSE(book.note(0, "kept"));  // all or nothing
}

TEST_CASE("hand edits lie on top of the split, survive its re-run and change the ledger") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = split_capture_of(book);
  const CaptureInfo info = book.capture(id);
  const double before = load_split(book, info).visits[1].charge;
  Edit move;
  move.kind = Edit::Kind::move;
  move.at_s = 1.2;
  move.to_s = 1.1;
  move.before = "Busy";
  move.after = "Rest";
  put(book, {edits_note(id, {move})});
  const SplitCapture edited = load_split(book, info);
  CHECK(edited.edits == 1);
  CHECK(edited.visits[1].visit.to_s == Approx(1.1));
  CHECK(edited.visits[1].charge == Approx(before / 2));
  double sum = 0;
  for (const VisitFigures& v : edited.visits) sum += v.charge;
  CHECK(sum == Approx(measure(*edited.trace).charge));

  book.save_split(id, split_capture(book, info, test::two_levels(), "text"));  // the recipe again
  CHECK(load_split(book, info).visits[1].visit.to_s == Approx(1.1));
  Recipe other = test::two_levels();
  other.states[1].name = "Loud";  // the anchor of the edit is gone
  book.save_split(id, split_capture(book, info, other, "other"));
  const auto conflicted = edited_split(book, info);
  REQUIRE(conflicted);
  REQUIRE(conflicted->conflicts.size() == 1);
  CHECK_THAT(conflicted->conflicts[0].why, Catch::Contains("Busy to Rest"));
  put(book, {edits_note(id, {})});
  CHECK(edited_split(book, info)->edits == 0);
}

TEST_CASE("edits and documents come back as they were written, and damage is told") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = split_capture_of(book);
  std::vector<Edit> list;
  for (int k = 0; k < 6; ++k)
    list.push_back({static_cast<Edit::Kind>(k), 0.1 * k, 1.0 / 3, "État \"x\"", "a\tb", "µ"});
  put(book, {edits_note(id, list)});
  CHECK(edits(book, id) == list);
  const Document recipe{"a.recipe.toml", "/somewhere/a.recipe.toml", "kuvio = \"recipe/1\"\n# µ\n",
                        "before"};
  put(book, {document_note(DocumentKind::recipe, recipe)});
  CHECK(document(book, DocumentKind::recipe) == recipe);
  CHECK_FALSE(document(book, DocumentKind::budget));
  for (const char* bad : {"[", "{}", "[{\"do\":\"stretch\",\"at_s\":1}]", "[{\"do\":\"cut\"}]",
                          "[1]", "[{\"do\":\"cut\",\"at_s\":\"x\"}]"}) {
    put(book, {{id, "edits", bad}});
    if (std::string(bad) == "{}") {
      CHECK(edits(book, id).empty());
    } else {
      CHECK_THROWS_AS(edits(book, id), Error);
    }
  }
  put(book, {{0, "recipe", "{\"name\":1}"}});
  CHECK_THROWS_AS(document(book, DocumentKind::recipe), Error);
}

TEST_CASE("the split that counts can be another than the newest, or none") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = split_capture_of(book);
  const std::int64_t first = book.split(id)->id;
  const std::int64_t second =
      book.save_split(id, split_capture(book, book.capture(id), test::two_levels(), "second"));
  CHECK(book.split(id)->id == second);
  put(book, {{id, "split", std::to_string(first)}});
  CHECK(book.split(id)->recipe_text == "text");
  put(book, {{id, "split", "0"}});
  CHECK_FALSE(book.split(id));
  CHECK_FALSE(book.capture(id).split);
  put(book, {{id, "split", std::nullopt}});
  CHECK(book.split(id)->id == second);
}

TEST_CASE("a book of version 1 is read as it is and migrated when it is first written to") {
  const test::Folder folder;
  const std::string path = folder / "old.kuvio";
  fs::copy_file(KUVIO_SOURCE "/tests/fixtures/book-v1.kuvio", path);
  double charge = 0;
  {
    const Book old = Book::open(path, Book::Mode::read);
    CHECK_FALSE(old.note(0, "reference"));
    CHECK(old.notes().empty());
    const CaptureInfo info = old.find("first");
    CHECK(info.split);
    const SplitCapture split = load_split(old, info);
    CHECK(split.visits.size() == 12);
    charge = measure(*split.trace).charge;
    CHECK(charge == Approx(0.0579).epsilon(0.02));
  }
  {
    const Book now = Book::open(path, Book::Mode::write);
    put(now, {{0, "reference", "1.0"}});
    CHECK(now.note(0, "reference") == "1.0");
    CHECK(measure(*load_split(now, now.find("first")).trace).charge == charge);
    CHECK(verify(now).empty());
  }
  CHECK(Book::open(path, Book::Mode::read).note(0, "reference") == "1.0");
}

TEST_CASE("what a discarded capture had noted goes with it") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = split_capture_of(book);
  put(book, {{id, "edits", "[]"}, {0, "reference", "1.0"}});
  book.discard(id);
  REQUIRE(book.notes().size() == 1);
  CHECK(book.notes().front().key == "reference");
}

TEST_CASE("where a capture lies is kept, put back, and read as nowhere when it makes no sense") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  book::CaptureWriter w(book, {"c", "1", {}, false}, {test::current_channel()});
  w.append(0, 0, 1, std::vector<double>{1, 2, 3});
  w.finish("done", false);
  CHECK(book::lined_up(book, w.id()) == book::LinedUp{});
  const auto changes =
      book::put(book, {book::lined_up_note(w.id(), {-1.2345678901234567, "typed"})});
  CHECK(book::lined_up(book, w.id()).offset_s == -1.2345678901234567);
  CHECK(book::lined_up(book, w.id()).how == "typed");
  book::put(book, {changes.front().before});
  CHECK(book::lined_up(book, w.id()) == book::LinedUp{});
  for (const char* junk : {"", "x", "7", "[]", "{}", "{\"offset_s\":\"1\"}", "{\"offset_s\":1e300}",
                           "{\"offset_s\":null,\"how\":3}"}) {
    book::put(book, {book::Note{w.id(), "lined_up", junk}});
    CHECK(book::lined_up(book, w.id()) == book::LinedUp{});
  }
  CHECK_FALSE(book::lined_up_note(w.id(), {}).value);
}

TEST_CASE("a change with splits is there whole or not at all, and what counted counts again") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = split_capture_of(book);
  const std::int64_t first = book.split(id)->id;
  StoredSplit other = *book.split(id);
  other.recipe_text = "other";
  // The second of two notes is too long to keep: neither it, nor the first, nor the split is there.
  const ChangeRequest wrong{{{0, "reference", "1.0"}, {0, "x", std::string(2 << 20, 'x')}},
                            {{id, other}}};
  CHECK_THROWS_AS(put(book, wrong), Error);
  CHECK_FALSE(book.note(0, "reference"));
  CHECK(book.split(id)->id == first);
  // A capture that is not there, after a split that is good.
  CHECK_THROWS_AS(put(book, ChangeRequest{{}, {{id, other}, {99, other}}}), std::exception);
  CHECK(book.split(id)->recipe_text == "text");

  const auto changes = put(book, ChangeRequest{{{0, "reference", "1.0"}}, {{id, other}}});
  REQUIRE(changes.size() == 2);
  CHECK(book.split(id)->recipe_text == "other");
  put(book, std::vector{changes[0].before, changes[1].before});
  CHECK(book.split(id)->id == first);
  CHECK_FALSE(book.note(0, "reference"));
  put(book, std::vector{changes[0].after, changes[1].after});
  CHECK(book.split(id)->recipe_text == "other");
  CHECK(verify(book).empty());
}

TEST_CASE("conditions are put right by notes, and what was recorded stays") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  CaptureWriter writer(book, {"one", "1.0", {{"board", "7"}}, false}, {test::current_channel()});
  writer.append(0, 0, 1, std::vector<double>(100, 1e-3));
  writer.finish("complete", false);
  const std::int64_t id = writer.id();
  CHECK(book.capture(id).conditions == Conditions{{"board", "7"}});
  const auto changes = put(book, {condition_note(id, "board", "8"),
                                  condition_note(id, "tester", "M. Okafor"),
                                  {id, "build", "1.1"}});
  CHECK(book.capture(id).conditions == Conditions{{"board", "8"}, {"tester", "M. Okafor"}});
  CHECK(book.captures()[0].build == "1.1");
  put(book, {condition_note(id, "board", std::nullopt)});
  CHECK(book.capture(id).conditions == Conditions{{"tester", "M. Okafor"}});
  // Undone in the other order, all is as it was recorded.
  put(book, {{id, "condition:board", "8"}});
  put(book, {changes[0].before, changes[1].before, changes[2].before});
  CHECK(book.capture(id).conditions == Conditions{{"board", "7"}});
  CHECK(book.capture(id).build == "1.0");
  CHECK(verify(book).empty());
}

TEST_CASE(
    "a deleted capture is out of everything until it is put back, and nothing of it is lost") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t first = split_capture_of(book), second = split_capture_of(book);
  put(book, {{second, "build", "2.0"}});
  const auto change = put(book, {deleted_note(first, true)});
  CHECK(book.captures().size() == 1);
  CHECK(book.captures()[0].id == second);
  CHECK(book.builds() == std::vector<std::string>{"2.0"});
  CHECK(book.deleted() == std::set<std::int64_t>{first});
  CHECK_THROWS_AS(book.find("nobody"), Error);
  CHECK(book.find("one").id == second);  // no longer ambiguous
  CHECK(verify(book).empty());
  // Another program sees the same.
  CHECK(Book::open(folder / "b.kuvio", Book::Mode::read).captures().size() == 1);
  put(book, {change[0].before});
  CHECK(book.captures().size() == 2);
  CHECK(book.split(first));
  CHECK(book.deleted().empty());
  // A note of a capture that is not there, or of the whole book, deletes nothing.
  put(book, {deleted_note(999, true), {0, "deleted", "1"}});
  CHECK(book.captures().size() == 2);
}
