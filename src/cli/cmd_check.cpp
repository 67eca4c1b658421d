// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/present.h"
#include "formats/budget_check.h"
#include "formats/json_results.h"
#include "formats/junit.h"
#include "formats/output_file.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, budget, build, junit;
};

const char* sign(Verdict v) {
  switch (v) {
    case Verdict::within:
      return "✓ within";
    case Verdict::over:
      return "✗ over";
    case Verdict::too_close:
      return "≈ too close";
    case Verdict::no_data:
      return "– no data";
  }
  return "";
}

std::string shown(double value, double U, std::string_view unit) {
  return unit == "s" && std::abs(value) > 2 * 86400 ? life_time(value)
                                                    : with_uncertainty(value, U, unit);
}

Outcome run(const Options& o, bool json) {
  const Budget budget = formats::read_budget(o.budget);
  const book::Book book = book::Book::open(o.book, book::Book::Mode::read);
  const CheckResult result =
      formats::check_build(book, budget, formats::read_recipe(budget.recipe_file), o.build);
  if (!o.junit.empty()) formats::write_file(o.junit, formats::junit_xml(budget, o.build, result));
  Outcome out;
  out.document = formats::to_json(budget, o.build, result);
  // Over outranks all; too close and no data both mean that nothing can be said.
  out.status = result.verdict == Verdict::over ? 1 : result.verdict == Verdict::within ? 0 : 2;
  if (json) return out;
  fmt::print("{}: build {}\n", budget.name, o.build);
  std::vector<std::vector<std::string>> rows{
      {"limit", "measured", "limit", "headroom", "verdict", ""}};
  for (const LimitResult& r : result.limits) {
    const Limit& l = *r.limit;
    const auto unit = unit_of(l.quantity);
    rows.push_back(
        {l.name(), r.measured ? (r.lower_bound ? "≥ " : "") + shown(*r.measured, r.U, unit) : "–",
         l.max ? "≤ " + shown(*l.max, 0, unit) : "≥ " + shown(l.min.value_or(0), 0, unit),
         r.headroom ? shown(*r.headroom, 0, unit) : "–", sign(r.verdict), r.note});
  }
  print_table(rows);
  fmt::print("{}\n", sign(result.verdict));
  return out;
}

}  // namespace

Runner add_check(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("--budget", o->budget, "the budget (*.budget.toml)")->required();
  app.add_option("--build", o->build, "build to check")->required();
  app.add_option("--junit", o->junit, "also write JUnit XML to this file");
  return [o](bool json) { return run(*o, json); };
}

}  // namespace kuvio::cli
