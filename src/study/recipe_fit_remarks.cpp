// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/recipe_fit_remarks.h"

#include "book/notes.h"
#include "core/error.h"
#include "core/recipe_fit.h"
#include "formats/project_files.h"

namespace kuvio::study {
namespace {

/// The reference's first capture that the same rules split.
std::optional<book::SplitCapture> reference_of(const book::Book& book,
                                               const book::SplitCapture& capture) {
  const std::string build =
      book::reference_among(book.builds(), book.note(0, "reference").value_or(""));
  if (build.empty() || build == capture.info.build) return std::nullopt;
  for (const book::CaptureInfo& info : book.captures()) {
    if (info.build != build || info.typed) continue;
    try {
      book::SplitCapture found = book::load_split(book, info);
      if (found.recipe_text == capture.recipe_text) return found;
    } catch (const Error&) {  // not split, or damaged
    }
  }
  return std::nullopt;
}

}  // namespace

std::vector<std::string> fit_remarks(const book::Book& book, const book::SplitCapture& capture) {
  if (capture.recipe_text.empty() || capture.visits.empty()) return {};
  Recipe recipe;
  try {
    recipe = formats::parse_recipe(capture.recipe_text, capture.recipe_name).recipe;
  } catch (const Error&) {  // of a later version: nothing can be said of it
    return {};
  }
  const auto reference = reference_of(book, capture);
  std::vector<std::string> out;
  for (const Misfit& m :
       misfits_of(recipe, capture.visits, reference ? &reference->visits : nullptr))
    out.push_back(in_words(m, capture.channel.unit, reference ? reference->info.build : ""));
  return out;
}

}  // namespace kuvio::study
