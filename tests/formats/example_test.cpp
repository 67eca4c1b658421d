// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/example.h"

#include "formats/project_edits.h"
#include "formats/project_files.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <sstream>

using namespace kuvio;

TEST_CASE(
    "the example's documents are the files that ship, each valid, named as they name each other") {
  CHECK(formats::example_kinds().size() == 4);
  for (const book::DocumentKind kind : formats::example_kinds()) {
    const book::Document document = formats::example(kind);
    INFO(document.name);
    CHECK(book::is_plain_name(kind, document.name));
    std::ostringstream text;
    text << std::ifstream(std::string(KUVIO_SOURCE) + "/examples/" + document.name).rdbuf();
    CHECK(document.text == text.str());
    CHECK(document.path.empty());
    CHECK_NOTHROW(formats::check_document(kind, document.text, document.name));
  }
  const std::string budget = formats::example(book::DocumentKind::budget).text;
  CHECK_THAT(budget, Catch::Contains(formats::example(book::DocumentKind::recipe).name));
}
