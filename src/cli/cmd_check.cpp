// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/number_text.h"
#include "formats/json_results.h"
#include "formats/junit.h"
#include "formats/output_file.h"
#include "formats/phrases.h"

#include "command.h"
#include "study/budget_check.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, budget, build, junit;
};

Outcome run(const Options& o, const Output& output) {
  const Budget budget = formats::read_budget(o.budget);
  const book::Book book = open_to_read(o.book);
  const CheckResult result =
      study::check_build(book, budget, formats::read_recipe(budget.recipe_file), o.build);
  if (!o.junit.empty()) formats::write_file(o.junit, formats::junit_xml(budget, o.build, result));
  Outcome out;
  out.document = formats::to_json(budget, o.build, result, explain_of(output));
  // Outside outranks all; too close and no data both mean that nothing can be said.
  out.status = result.verdict == Verdict::outside ? 1 : result.verdict == Verdict::within ? 0 : 2;
  if (output.json) return out;
  fmt::print("{}: build {}\n", budget.name, o.build);
  std::vector<std::vector<std::string>> rows{
      {"limit", "measured", "limit", "headroom", "verdict", ""}};
  for (const LimitResult& r : result.limits) {
    const Limit& l = *r.limit;
    std::string note = r.note;
    if (r.needed_visits && note.find("95th") == std::string::npos)
      note += fmt::format("{}about {} visits would settle it", note.empty() ? "" : "; ",
                          *r.needed_visits);
    rows.push_back(
        {l.name(), formats::measured_text(r), formats::limit_text(l),
         r.headroom ? formats::figure_text(*r.headroom, 0, info(l.quantity).unit()) : "–",
         formats::verdict_text(r.verdict), note});
  }
  print_table(rows);
  if (const std::string left = formats::unnamed_text(result.unnamed); !left.empty())
    fmt::print("{}\n", left);
  fmt::print("{}\n", formats::verdict_text(result.verdict));
  return out;
}

}  // namespace

Runner add_check(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("--budget", o->budget, "the budget (*.budget.toml)")->required();
  app.add_option("--build", o->build, "build to check")->required();
  app.add_option("--junit", o->junit, "also write JUnit XML to this file");
  return [o](const Output& output) { return run(*o, output); };
}

}  // namespace kuvio::cli
