// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/example.h"

#include "formats/shipped_examples.h"

#include <stdexcept>

namespace kuvio::formats {

book::Document example(book::DocumentKind kind) {
  for (const auto& [name, text] : kShippedExamples) {
    if (book::document_kind_of_file(name) == kind) return {name, "", text, text};
  }
  throw std::logic_error("the example has no such document");
}

std::vector<book::DocumentKind> example_kinds() {
  return {book::DocumentKind::recipe, book::DocumentKind::duty, book::DocumentKind::battery,
          book::DocumentKind::budget};
}

}  // namespace kuvio::formats
