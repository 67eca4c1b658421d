// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace kuvio::book {

class Book;
struct Note;

/// What a document of a book may be: a file that people write, or a what-if of the Lifetime desk in
/// the form of one. Verdicts and comparisons never read a scenario: only a person makes it the
/// plan.
enum class DocumentKind { recipe, budget, duty, battery, scenario_duty, scenario_battery };

struct DocumentKindInfo {
  DocumentKind id;
  std::string_view key;                  ///< of its note in the book
  std::string_view ending;               ///< of its files: ".recipe.toml"
  std::string_view usual_name;           ///< for one that was never saved
  std::string_view words;                ///< for people: "duty plan"
  std::optional<DocumentKind> scenario;  ///< its what-if
  bool is_scenario;
};

std::span<const DocumentKindInfo> document_kinds();
const DocumentKindInfo& info(DocumentKind kind);
/// By the ending of a file's name; nothing for another file.
std::optional<DocumentKind> document_kind_of_file(std::string_view name);

/// A file that people wrote and that the book keeps a copy of, so that it is at hand wherever the
/// book goes.
struct Document {
  std::string name;  ///< as other documents refer to it: "satchel.recipe.toml"
  std::string path;  ///< where it was read from or saved to; "" when it never was
  std::string text;
  std::string saved;  ///< the text as it last stood on disk

  bool operator==(const Document&) const = default;
};

/// Whether a document's name is a file name of its kind and no path: "satchel.recipe.toml".
bool is_plain_name(DocumentKind kind, const std::string& name);
/// Error bad_data when it is damaged.
std::optional<Document> document(const Book& book, DocumentKind kind);
/// The one of that name: the one in use, or one that was kept when another took its place.
std::optional<Document> document(const Book& book, DocumentKind kind, const std::string& name);
Note document_note(DocumentKind kind, const Document& document);
/// The notes that put a document into use. Where another one stands there that the book's budget
/// names it is kept beside, so that the budget can still be checked.
std::vector<Note> notes_in_use(const Book& book, DocumentKind kind, const Document& next);
/// The note that takes it away.
Note no_document(DocumentKind kind);

}  // namespace kuvio::book
