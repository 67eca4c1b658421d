// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/lifetime.h"
#include "formats/budget_check.h"
#include "formats/html_report.h"
#include "formats/output_file.h"

#include "command.h"

#include <filesystem>
#include <memory>
#include <set>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, out, budget, battery, duty, reference, title;
};

Outcome run(const Options& o, bool json) {
  if (o.out.ends_with(".pdf"))
    usage("--out: PDF is not yet supported; give a name that ends in .html");
  if (!o.battery.empty() && o.duty.empty()) usage("--battery needs a --duty plan too");
  const book::Book book = open_to_read(o.book);
  std::optional<Budget> budget;
  if (!o.budget.empty()) budget = formats::read_budget(o.budget);
  CompareSettings settings;
  if (!o.duty.empty()) settings.duty = formats::read_duty(o.duty);

  formats::ReportContent content;
  content.title = o.title.empty() ? std::filesystem::path(o.book).stem().string() : o.title;
  std::vector<book::SplitCapture> captures;
  std::vector<std::string> builds;
  for (const book::CaptureInfo& c : book.captures()) {
    if (!c.damage.empty())
      throw Error(Failure::bad_data, "damaged capture", o.book,
                  "capture " + std::to_string(c.id) + ": " + c.damage);
    if (!c.split) {
      say("capture " + c.name + " is not split into states and was left out");
      continue;
    }
    if (std::find(builds.begin(), builds.end(), c.build) == builds.end()) builds.push_back(c.build);
    captures.push_back(book::load_split(book, c));
  }
  if (captures.empty())
    throw Error(Failure::bad_data, "nothing to report", o.book,
                "no capture is split into states yet");
  try {
    content.state_order.clear();
    const auto recipe = formats::parse_recipe(captures.front().recipe_text, "recipe in the book");
    for (const StateRule& rule : recipe.recipe.states) content.state_order.push_back(rule.name);
  } catch (const Error&) {  // made by hand, without a recipe: the order of the first visits serves
    for (const VisitFigures& f : captures.front().visits)
      content.state_order.push_back(f.visit.state);
  }
  content.captures = &captures;

  const auto side = [&](const std::string& build) {
    std::vector<book::SplitCapture> own;
    for (const book::CaptureInfo& c : book.captures()) {
      if (c.build == build && c.split) own.push_back(book::load_split(book, c));
    }
    return Side{build, book::pooled_ledger(own), book::pooled_conditions(own)};
  };
  const std::string reference = o.reference.empty() ? builds.front() : o.reference;
  if (std::find(builds.begin(), builds.end(), reference) == builds.end())
    usage("--reference: there is no split build \"" + reference + "\"");
  const std::optional<Battery> battery =
      o.battery.empty() ? std::nullopt : std::optional(formats::read_battery(o.battery));
  if (battery) content.battery = battery->name;
  const Side a = side(reference);
  try {
    for (const std::string& build : builds) {
      const Side b = build == reference ? a : side(build);
      if (build != reference) content.comparisons.push_back(compare(a, b, settings));
      if (battery) {
        const FieldMean mean = field_mean(*settings.duty, b.ledger);
        if (mean.missing.empty())
          content.lives.push_back({build, mean, life_interval(mean, *battery)});
      }
    }
  } catch (const std::domain_error& e) {
    throw Error(Failure::bad_data, "bad duty plan", o.duty, e.what());
  }
  if (budget) {
    content.budget = &*budget;
    for (const std::string& build : builds)
      content.checks.emplace(
          build,
          formats::check_build(book, *budget, formats::read_recipe(budget->recipe_file), build));
  }
  formats::write_file(o.out, formats::html_report(content));
  Outcome out;
  out.document = {{"out", o.out}, {"captures", captures.size()}};
  if (!json) say("wrote " + o.out);
  return out;
}

}  // namespace

Runner add_report(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("--out", o->out, "FILE.html")->required();
  app.add_option("--budget", o->budget, "check every build against this budget");
  app.add_option("--battery", o->battery, "add battery life with this battery");
  app.add_option("--duty", o->duty, "duty plan for field means and lifetimes");
  app.add_option("--reference", o->reference, "build to compare with (the first)");
  app.add_option("--title", o->title, "title of the page");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
