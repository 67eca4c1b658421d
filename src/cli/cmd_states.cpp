// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "core/number_text.h"
#include "formats/json_results.h"
#include "formats/output_file.h"
#include "formats/project_files.h"

#include "command.h"
#include "study/finding.h"
#include "study/recipe_fit_remarks.h"

#include <memory>
#include <optional>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, recipe, write, channel;
  bool find = false;
  std::optional<std::size_t> levels;
};

/// The recipe that is given, or found on the capture.
formats::RecipeFile recipe_of(const Options& o, const book::Book& book,
                              const book::CaptureInfo& capture) {
  if (!o.find) return formats::read_recipe(o.recipe);
  const StopOnSignal signals;
  FindSettings settings;
  settings.levels = o.levels;
  settings.going_on = [token = signals.token()](double) { return !token.stop_requested(); };
  return study::find_recipe(book, capture, o.channel, settings);
}

nlohmann::ordered_json rejected_json(const std::vector<Rejected>& rejected, const Recipe& recipe) {
  static constexpr const char* kWhy[] = {"no_peak",  "mean_low",  "mean_high", "too_short",
                                         "too_long", "not_after", "no_begin",  "no_end"};
  auto out = nlohmann::ordered_json::array();
  for (const Rejected& r : rejected) {
    out.push_back({{"state", recipe.states[r.rule].name},
                   {"why", kWhy[static_cast<std::size_t>(r.why)]},
                   {"stretches", r.stretches}});
  }
  return out;
}

Outcome run(const Options& o, bool json) {
  if (o.find && !o.recipe.empty()) usage("--recipe FILE.toml, or --find; not both");
  if (!o.find && o.recipe.empty()) usage("give a recipe with --recipe FILE.toml, or --find one");
  if (!o.find && (o.levels || !o.channel.empty())) usage("--levels and --channel go with --find");
  const book::Book book = book::Book::open(o.book, book::Book::Mode::write);
  const book::CaptureInfo capture = book.find(o.capture);
  const formats::RecipeFile recipe = recipe_of(o, book, capture);
  const book::ToldSplit told = book::told_split(book, capture, recipe.recipe, recipe.text);
  const book::StoredSplit& split = told.split;
  const book::SplitCapture loaded = book::load_split(book, capture, split);
  if (!o.write.empty()) formats::write_file(o.write, recipe.text);
  book.save_split(capture.id, split);
  Outcome out;
  out.document = formats::to_json(recipe.recipe.name, loaded.visits);
  out.document["rejected"] = rejected_json(told.rejected, recipe.recipe);
  out.document["overlaps"] = told.overlaps;
  const std::vector<std::string> misfits = study::fit_remarks(book, loaded);
  out.document["warnings"] = told.remarks;
  out.document["misfits"] = misfits;
  for (const std::string& remark : told.remarks) say(remark);
  for (const std::string& misfit : misfits) say("the recipe may not fit: " + misfit);
  if (!json) {
    std::vector<std::vector<std::string>> rows{
        {"state", "from", "to", "length", "mean", "charge", "peak"}};
    for (const VisitFigures& f : loaded.visits) {
      rows.push_back({f.visit.state + (f.visit.whole ? "" : " (cut)"),
                      with_prefix(f.visit.from_s, "s", 6), with_prefix(f.visit.to_s, "s", 6),
                      duration(f.visit.length_s()), f.mean ? with_prefix(*f.mean, "A", 4) : "–",
                      with_prefix(f.charge, "C", 4), f.peak ? with_prefix(*f.peak, "A", 4) : "–"});
    }
    print_table(rows);
  }
  return out;
}

}  // namespace

Runner add_states(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--recipe", o->recipe, "the state recipe (*.recipe.toml)");
  app.add_flag("--find", o->find, "find the states that the capture shows, without a recipe");
  app.add_option("--levels", o->levels, "how many, with --find (as many as it shows)");
  app.add_option("--channel", o->channel, "the channel to find them on (the main current)");
  app.add_option("--write-recipe", o->write, "write the recipe that was used to this file");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
