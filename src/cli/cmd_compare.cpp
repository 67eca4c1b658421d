// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/present.h"
#include "core/quantity.h"
#include "formats/json_results.h"
#include "formats/plan_files.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, reference, equal, duty, line_up, by;
  std::vector<std::string> candidates;
};

std::vector<book::SplitCapture> load(const book::Book& book, const std::string& who) {
  std::vector<book::SplitCapture> out;
  for (const book::CaptureInfo& c : captures_of(book, who))
    out.push_back(book::load_split(book, c));
  return out;
}

void print(const Comparison& c) {
  fmt::print("{} against {}\n", c.candidate, c.reference);
  for (const Unlike& u : c.unlike)
    fmt::print("Not alike: {} {} / {}\n", u.condition, u.reference.empty() ? "–" : u.reference,
               u.candidate.empty() ? "–" : u.candidate);
  std::vector<std::vector<std::string>> rows{
      {"state", "reference", "candidate", "difference, 95 %", "per visit", "bridge", "shown"}};
  for (const CompareRow& r : c.rows) {
    if (!r.mean.known) continue;
    const std::string shown = r.shown == Shown::none ? "no difference shown"
                                                     : std::string(to_string(r.shown)) +
                                                           (r.by_charge ? " per visit" : "");
    rows.push_back(
        {r.state, with_prefix(*r.reference_mean, "A", 4), with_prefix(*r.candidate_mean, "A", 4),
         signed_prefix(r.mean.low, "A", 2) + " … " + signed_prefix(r.mean.high, "A", 2),
         r.charge_per_visit.known ? signed_prefix(r.charge_per_visit.value, "C", 3) : "–",
         signed_prefix(r.bridge, "A", 3), shown});
  }
  print_table(rows);
  if (!c.missing.empty())
    fmt::print("No visit to {}: the field means cannot be told.\n", c.missing.front());
  if (c.total.known) {
    fmt::print("{}: {} → {}, difference {} ({} … {})\n", c.field ? "In the field" : "Captures",
               with_prefix(*c.reference_mean, "A", 4), with_prefix(*c.candidate_mean, "A", 4),
               signed_prefix(c.total.value, "A", 3), signed_prefix(c.total.low, "A", 3),
               signed_prefix(c.total.high, "A", 3));
  }
}

Outcome run(const Options& o, bool json) {
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
  const book::Book book = book::Book::open(o.book, book::Book::Mode::read);
  const auto reference = load(book, o.reference);
  const Side a{o.reference, book::pooled_ledger(reference), book::pooled_conditions(reference)};
  Outcome out;
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (const std::string& name : o.candidates) {
    const auto candidate = load(book, name);
    const Side b{name, book::pooled_ledger(candidate), book::pooled_conditions(candidate)};
    Comparison c;
    try {
      c = compare(a, b, settings);
    } catch (const std::domain_error& e) {
      throw Error(Failure::bad_data, "bad duty plan", o.duty, e.what());
    }
    bool worse = c.total_shown == Shown::higher;
    for (const CompareRow& r : c.rows) worse |= r.shown == Shown::higher;
    if (worse) out.status = 1;
    if (out.status == 0 && settings.duty && !c.missing.empty()) out.status = 2;
    if (!json) print(c);
    list.push_back(formats::to_json(c));
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
  app.add_option("--equal-within", o->equal, "margin for \"equal\", as in \"2 %\"");
  app.add_option("--duty", o->duty, "duty plan: compare means in the field");
  app.add_option("--line-up", o->line_up, "how captures are lined up");
  app.add_option("--by", o->by, "condition or parameter to compare by");
  return [o](bool json) { return run(*o, json); };
}

}  // namespace kuvio::cli
