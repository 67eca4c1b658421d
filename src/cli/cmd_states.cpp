// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "core/number_text.h"
#include "formats/json_results.h"
#include "formats/output_file.h"
#include "formats/project_files.h"

#include "command.h"

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, recipe, write;
  bool find = false;
};

Outcome run(const Options& o, bool json) {
  if (o.find) usage("--find is not yet supported; give a recipe with --recipe");
  if (o.recipe.empty()) usage("give a recipe with --recipe FILE.toml");
  const formats::RecipeFile recipe = formats::read_recipe(o.recipe);
  const book::Book book = book::Book::open(o.book, book::Book::Mode::write);
  const book::CaptureInfo capture = book.find(o.capture);
  const book::StoredSplit split = book::split_capture(book, capture, recipe.recipe, recipe.text);
  const book::SplitCapture loaded = book::load_split(book, capture, split);
  if (!o.write.empty()) formats::write_file(o.write, recipe.text);
  book.save_split(capture.id, split);
  Outcome out;
  out.document = formats::to_json(recipe.recipe.name, loaded.visits);
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
  app.add_flag("--find", o->find, "find states without a recipe")->group("");  // not yet
  app.add_option("--write-recipe", o->write, "write the recipe that was used to this file");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
