// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/budget_check.h"

#include "book/schema.h"
#include "core/error.h"

namespace kuvio::study {

std::vector<book::SplitCapture> split_build(const book::Book& book, const std::string& build,
                                            const formats::RecipeFile& recipe) {
  std::vector<book::SplitCapture> out;
  for (const book::CaptureInfo& c : book::captures_of_build(book, build)) {
    auto split = book.split(c.id);
    if (!c.typed &&
        (!split || split->recipe_text != recipe.text || split->rules != book::kSplitRules))
      split = book::split_capture(book, c, recipe.recipe, recipe.text);
    out.push_back(book::load_split(book, c, std::move(split)));
  }
  return out;
}

CheckResult check_build(const book::Book& book, const Budget& budget,
                        const formats::RecipeFile& recipe, const std::string& build) {
  std::vector<std::string> states;
  for (const StateRule& rule : recipe.recipe.states) states.push_back(rule.name);
  const Ledger ledger =
      book::pooled_ledger(split_build(book, build, recipe), states, budget.supply);
  try {
    return check(budget, ledger);
  } catch (const std::domain_error& e) {
    throw Error(Failure::bad_data, "bad duty plan", budget.name, e.what());
  }
}

}  // namespace kuvio::study
