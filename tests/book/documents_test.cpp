// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/documents.h"

#include "book/notes.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::book;

TEST_CASE("a recipe that the budget names is kept when another takes its place") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const Document first{"a.recipe.toml", "", "first", ""}, found{"found.recipe.toml", "", "2nd", ""};
  const auto replace = [&](const Document& next) {
    return put(book, notes_in_use(book, DocumentKind::recipe, next));
  };
  replace(first);
  replace(found);  // no budget: nothing needs the first
  CHECK(document(book, DocumentKind::recipe)->name == "found.recipe.toml");
  CHECK_FALSE(document(book, DocumentKind::recipe, "a.recipe.toml"));

  replace(first);
  put(book, std::vector{document_note(DocumentKind::budget,
                                      {"x.budget.toml", "", "recipe = \"a.recipe.toml\"", ""})});
  const auto changes = replace(found);
  CHECK(document(book, DocumentKind::recipe)->text == "2nd");
  CHECK(document(book, DocumentKind::recipe, "a.recipe.toml")->text == "first");
  CHECK(document(book, DocumentKind::recipe, "found.recipe.toml")->text == "2nd");
  CHECK_FALSE(document(book, DocumentKind::recipe, "b.recipe.toml"));
  // Edited under its own name nothing is kept; undone, nothing is left.
  CHECK(notes_in_use(book, DocumentKind::recipe, {"found.recipe.toml", "", "3rd", ""}).size() == 1);
  std::vector<Note> back;
  for (auto c = changes.rbegin(); c != changes.rend(); ++c) back.push_back(c->before);
  put(book, back);
  CHECK(document(book, DocumentKind::recipe)->text == "first");
  CHECK_FALSE(book.note(0, "recipe/a.recipe.toml"));
}
