// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/number_text.h"
#include "core/quantity.h"
#include "formats/json_results.h"
#include "formats/phrases.h"
#include "formats/project_files.h"

#include "command.h"
#include "study/comparison.h"
#include "study/pool.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, reference, equal, duty, line_up, by;
  std::vector<std::string> candidates;
};

study::Pool load(const book::Book& book, const std::string& who) {
  study::Pool out = study::pool(book, who, captures_of(book, who));
  say_old_edges(out.old_edges);
  return out;
}

void print(const Comparison& c) {
  fmt::print("{} against {}\n", c.candidate, c.reference);
  if (const std::string same = formats::same_use_sentence(c); !same.empty())
    fmt::print("{}\n", same);
  for (const std::string& line : formats::common_length_lines(c)) fmt::print("  {}\n", line);
  for (const ConditionMismatch& u : c.unlike)
    fmt::print("Not alike: {} {} / {}\n", u.condition, u.reference.empty() ? "–" : u.reference,
               u.candidate.empty() ? "–" : u.candidate);
  std::vector<std::vector<std::string>> rows{{"state", "reference", "candidate",
                                              "difference of the mean", "per visit", "bridge",
                                              "shown"}};
  for (std::vector<std::string>& cells : formats::comparison_cells(c))
    rows.push_back(std::move(cells));
  print_table(rows);
  if (!c.missing.empty())
    fmt::print("No visit to {}: field means cannot be calculated.\n", c.missing.front());
  if (c.total.known) {
    fmt::print("{}: {} → {}, difference {}{}: {}\n", c.field ? "In the field" : "Captures",
               with_prefix(*c.reference_mean, "A", 4), with_prefix(*c.candidate_mean, "A", 4),
               formats::bounds_mark(c.total.bounds),
               with_interval(c.total.value, c.total.low, c.total.high, "A"),
               formats::shown_text(c.total_conclusion, c.total, c.tests));
  }
  for (const std::string& line : formats::comparison_remarks(c)) fmt::print("{}\n", line);
}

Outcome run(const Options& o, const Output& output) {
  if (!o.line_up.empty()) usage("--line-up is not yet supported");
  if (!o.by.empty()) usage("--by is not yet supported");
  CompareSettings settings;
  if (!o.equal.empty()) {
    try {
      settings.equal_within = parse_quantity(o.equal, Dimension::ratio);
    } catch (const std::invalid_argument& e) {
      usage(std::string("--equal-within: ") + e.what());
    }
  }
  if (!o.duty.empty()) settings.duty = formats::read_duty(o.duty);
  const book::Book book = open_to_read(o.book);
  const study::Pool reference = load(book, o.reference);
  Outcome out;
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (const std::string& name : o.candidates) {
    const Comparison c = study::compare_pools(reference, load(book, name), settings);
    if (c.worse()) {
      out.status = 1;
    } else if (out.status == 0 && c.open()) {
      out.status = 2;
    }
    if (!output.json) print(c);
    list.push_back(formats::to_json(c, explain_of(output)));
  }
  out.document = list.size() == 1 ? list.front() : nlohmann::ordered_json{{"comparisons", list}};
  return out;
}

}  // namespace

Runner add_compare(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("--reference", o->reference, "build or capture")->required();
  app.add_option("--candidate", o->candidates, "builds or captures")->required();
  app.add_option("--equal-within", o->equal, "margin for \"equal\", e.g. \"2 %\"");
  app.add_option("--duty", o->duty, "duty plan: compare means in the field");
  app.add_option("--line-up", o->line_up, "how captures are lined up")->group("");   // not yet
  app.add_option("--by", o->by, "condition or parameter to compare by")->group("");  // not yet
  return [o](const Output& output) { return run(*o, output); };
}

}  // namespace kuvio::cli
