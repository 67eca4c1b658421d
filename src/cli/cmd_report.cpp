// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/html_report.h"
#include "formats/output_file.h"
#include "formats/project_files.h"

#include "command.h"
#include "study/report.h"

#include <filesystem>
#include <memory>

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
  study::ReportRequest request;
  request.title = o.title.empty() ? std::filesystem::path(o.book).stem().string() : o.title;
  request.reference = o.reference;
  if (!o.budget.empty()) {
    request.budget = std::make_shared<Budget>(formats::read_budget(o.budget));
    request.recipe = formats::read_recipe(request.budget->recipe_file);
  }
  if (!o.duty.empty()) request.duty = formats::read_duty(o.duty);
  if (!o.battery.empty()) request.battery = formats::read_battery(o.battery);
  const study::Report report = study::report_of(book, std::move(request));
  for (const std::string& name : report.left_out)
    say("capture " + name + " is not split into states and was left out");
  formats::write_file(o.out, formats::html_report(report.content));
  Outcome out;
  out.document = {{"out", o.out}, {"captures", report.content.captures.size()}};
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
