// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/documents.h"

#include "book/book.h"
#include "book/text.h"
#include "core/error.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>

namespace kuvio::book {
namespace {

using nlohmann::json;
using K = DocumentKind;

constexpr std::size_t kMostFileName = 200;  // bytes

constexpr std::array kKinds{
    DocumentKindInfo{
        K::recipe, "recipe", ".recipe.toml", "states.recipe.toml", "recipe", {}, false},
    DocumentKindInfo{
        K::budget, "budget", ".budget.toml", "limits.budget.toml", "budget", {}, false},
    DocumentKindInfo{K::duty, "duty", ".duty.toml", "field.duty.toml", "duty plan",
                     K::scenario_duty, false},
    DocumentKindInfo{K::battery, "battery", ".battery.toml", "cell.battery.toml", "battery",
                     K::scenario_battery, false},
    DocumentKindInfo{K::scenario_duty,
                     "scenario_duty",
                     ".duty.toml",
                     "field.duty.toml",
                     "duty plan of the scenario",
                     {},
                     true},
    DocumentKindInfo{K::scenario_battery,
                     "scenario_battery",
                     ".battery.toml",
                     "cell.battery.toml",
                     "battery of the scenario",
                     {},
                     true},
};

}  // namespace

std::span<const DocumentKindInfo> document_kinds() { return kKinds; }

const DocumentKindInfo& info(DocumentKind kind) {
  return *std::find_if(kKinds.begin(), kKinds.end(),
                       [&](const DocumentKindInfo& k) { return k.id == kind; });
}

std::optional<DocumentKind> document_kind_of_file(std::string_view name) {
  for (const DocumentKindInfo& k : kKinds) {
    if (!k.is_scenario && name.ends_with(k.ending)) return k.id;
  }
  return std::nullopt;
}

bool is_plain_name(DocumentKind kind, const std::string& name) {
  return name == printable(name) && name.find('/') == std::string::npos && !name.starts_with('.') &&
         name.ends_with(info(kind).ending) && name.size() < kMostFileName;
}

namespace {

std::string key_of(DocumentKind kind, const std::string& kept = "") {
  return std::string(info(kind).key) + (kept.empty() ? "" : "/" + kept);
}

Note note_of(const std::string& key, const Document& d) {
  const json item{{"name", d.name}, {"path", d.path}, {"text", d.text}, {"saved", d.saved}};
  return {0, key, item.dump(-1, ' ', false, json::error_handler_t::replace)};
}

std::optional<Document> document_at(const Book& book, const std::string& key) {
  const auto value = book.note(0, key);
  if (!value) return std::nullopt;
  const json item = json::parse(*value, nullptr, false);
  if (item.is_discarded())
    throw Error(Failure::bad_data, "damaged book", book.path(),
                "the note \"" + key + "\" makes no sense");
  Document out;
  try {
    out.name = item.at("name").get<std::string>();
    out.path = item.value("path", "");
    out.text = item.at("text").get<std::string>();
    out.saved = item.value("saved", "");
  } catch (const json::exception&) {
    throw Error(Failure::bad_data, "damaged book", book.path(), "its " + key + " makes no sense");
  }
  return out;
}

}  // namespace

std::optional<Document> document(const Book& book, DocumentKind kind) {
  return document_at(book, key_of(kind));
}

std::optional<Document> document(const Book& book, DocumentKind kind, const std::string& name) {
  auto out = document(book, kind);
  if (out && out->name == name) return out;
  out = document_at(book, key_of(kind, name));
  return out && out->name == name ? out : std::nullopt;
}

Note document_note(DocumentKind kind, const Document& d) { return note_of(key_of(kind), d); }

std::vector<Note> notes_in_use(const Book& book, DocumentKind kind, const Document& next) {
  std::vector<Note> out{document_note(kind, next)};
  const auto before = document(book, kind), budget = document(book, DocumentKind::budget);
  if (before && budget && before->name != next.name &&
      budget->text.find('"' + before->name + '"') != std::string::npos)
    out.push_back(note_of(key_of(kind, before->name), *before));
  return out;
}

Note no_document(DocumentKind kind) { return {0, std::string(info(kind).key), std::nullopt}; }

}  // namespace kuvio::book
