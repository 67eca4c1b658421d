// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/number_text.h"
#include "core/quantity.h"
#include "formats/capture_files.h"
#include "formats/import_layout.h"
#include "formats/json_results.h"
#include "formats/output_file.h"

#include "command.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <memory>

namespace kuvio::cli {
namespace {

namespace fs = std::filesystem;

struct Options {
  std::string book, build, name, samples, voltage, accuracy, decimal, layout, write_layout;
  std::vector<std::string> files, columns, conditions;
  std::optional<double> rate, shunt;
};

void read_samples(const std::string& text, formats::ImportSettings& settings) {
  const auto colon = text.find(':');
  const std::string kind = text.substr(0, colon),
                    stamp = colon == std::string::npos ? "start" : text.substr(colon + 1);
  if (kind == "instant" && colon == std::string::npos) {
    settings.kind = SampleKind::instant;
  } else if (kind == "averaged" && (stamp == "start" || stamp == "centre" || stamp == "end")) {
    settings.kind = SampleKind::averaged;
    settings.stamp = stamp == "start"    ? formats::Stamp::start
                     : stamp == "centre" ? formats::Stamp::centre
                                         : formats::Stamp::end;
  } else {
    usage("--samples \"" + text +
          "\" is not instant, averaged, averaged:start, averaged:centre or averaged:end");
  }
}

/// Imports all files into a book, or none; what was made of each.
std::vector<formats::ImportResult> import_all(book::Book& book, const Options& o,
                                              const formats::ImportSettings& settings,
                                              const std::stop_token& stop) {
  std::vector<formats::ImportResult> done;
  try {
    for (const std::string& file : o.files)
      done.push_back(formats::import_file(book, file, settings, stop));
  } catch (...) {
    for (const auto& result : done) {
      for (const std::int64_t id : result.captures) book.discard(id);
    }
    throw;
  }
  return done;
}

/// What the log did not plainly say, and what of it holds no samples.
void add_found(const formats::ImportResult& result, nlohmann::ordered_json& entry) {
  entry["guesses"] = nlohmann::ordered_json::array();
  for (const formats::ImportGuess& g : result.guesses)
    entry["guesses"].push_back({{"column", g.column},
                                {"role", g.role},
                                {"unit", g.unit},
                                {"lines", g.lines},
                                {"why", g.why}});
  entry["skipped"] = nlohmann::ordered_json::array();
  for (const formats::SkippedLine& s : result.skipped)
    entry["skipped"].push_back({{"line", s.line}, {"why", s.why}});
}

void say_found(const std::string& file, const formats::ImportResult& result) {
  for (const formats::ImportGuess& g : result.guesses) {
    const bool warned =
        std::any_of(result.warnings.begin(), result.warnings.end(),
                    [&](const std::string& w) { return w.find(g.why) != std::string::npos; });
    if (warned) continue;
    std::string of;
    if (!g.column.empty())
      of = fmt::format("column \"{}\" is {}{}: ", g.column, g.role,
                       g.unit.empty() ? "" : " in " + g.unit);
    say(fmt::format("{}: {}{}{}", file, of, g.why, g.lines.empty() ? "" : " (" + g.lines + ")"));
  }
  if (result.skipped.empty()) return;
  const formats::SkippedLine& first = result.skipped.front();
  if (result.skipped.size() == 1) {
    say(fmt::format("{}: line {} was skipped: {}", file, first.line, first.why));
  } else {
    say(fmt::format("{}: {} lines were skipped, the first is line {}: {}", file,
                    result.skipped.size(), first.line, first.why));
  }
}

Outcome run(const Options& o, bool json) {
  formats::ImportSettings settings;
  settings.name = o.name;
  settings.build = o.build;
  settings.columns = o.columns;
  settings.rate_hz = o.rate;
  settings.shunt_ohm = o.shunt;
  if (o.rate && !(*o.rate >= 1e-6 && *o.rate <= 1e9)) usage("--rate must be 1e-6 to 1e9 Hz");
  if (o.shunt && !(*o.shunt > 0 && std::isfinite(*o.shunt)))
    usage("--shunt must be greater than zero");
  if (!o.decimal.empty()) settings.decimal = o.decimal == "comma" ? ',' : '.';
  settings.accuracy = option_accuracy(o.accuracy);
  settings.conditions = option_conditions(o.conditions);
  if (!o.voltage.empty()) {
    settings.conditions["voltage"] =
        fmt::format("{:g} V", option_quantity("--voltage", o.voltage, Dimension::voltage));
  }
  if (!o.layout.empty()) formats::read_layout(o.layout, settings);
  if (!o.samples.empty()) read_samples(o.samples, settings);

  const StopOnSignal signals;
  const bool fresh = !fs::exists(o.book);
  book::Book book = book::Book::open(o.book, book::Book::Mode::create);
  std::vector<formats::ImportResult> done;
  try {
    done = import_all(book, o, settings, signals.token());
  } catch (...) {
    if (fresh) book::Book::remove_if_empty(std::move(book));
    throw;
  }
  if (!o.write_layout.empty())
    formats::write_file(o.write_layout, formats::layout_of(o.files.front(), settings));
  Outcome out;
  out.document["captures"] = nlohmann::ordered_json::array();
  for (std::size_t i = 0; i < done.size(); ++i) {
    for (const std::string& w : done[i].warnings) say(o.files[i] + ": " + w);
    say_found(o.files[i], done[i]);
    for (const std::int64_t id : done[i].captures) {
      const book::CaptureInfo c = book.capture(id);
      nlohmann::ordered_json entry = formats::to_json(c);
      entry["warnings"] = done[i].warnings;
      add_found(done[i], entry);
      out.document["captures"].push_back(std::move(entry));
      if (!json) fmt::print("{}  {}  {}\n", c.id, c.name, duration(c.duration_s()));
    }
  }
  out.document["warnings"] = nlohmann::ordered_json::array();
  return out;
}

}  // namespace

Runner add_import(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book; created if missing")->required();
  app.add_option("FILE", o->files, "text logs, HDF5, value change dumps, exported samples")
      ->required();
  app.add_option("--build", o->build, "build under test");
  app.add_option("--name", o->name, "name of the capture (the file's)");
  app.add_option(
      "--column", o->columns,
      "COL=ROLE[unit]; COL is a title or a number from 1, ROLE time, current, voltage, ignore");
  app.add_option("--samples", o->samples, "instant, or averaged[:start|centre|end]");
  app.add_option("--rate", o->rate, "sample rate in Hz, for files without times");
  app.add_option("--shunt", o->shunt,
                 "Ohm; turns the column of its drop, or the difference of two voltages, into a "
                 "current");
  app.add_option("--decimal", o->decimal,
                 "comma or point, where the file itself leaves open what \"1,234\" is")
      ->check(CLI::IsMember({"comma", "point"}));
  app.add_option("--layout", o->layout, "how logs of this kind are read (*.layout.toml)");
  app.add_option("--write-layout", o->write_layout,
                 "write how the first file was read to this file, for the next of its kind");
  app.add_option("--voltage", o->voltage, "nominal supply voltage, e.g. \"3.6 V\"");
  app.add_option("--accuracy", o->accuracy, "as in \"0.08 % + 40 nA\"");
  app.add_option("--condition", o->conditions, "KEY=VALUE");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
