// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/present.h"
#include "core/quantity.h"
#include "formats/json_results.h"
#include "formats/text_import.h"

#include "command.h"

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>
#include <memory>

namespace kuvio::cli {
namespace {

namespace fs = std::filesystem;

struct Options {
  std::string book, build, name, samples = "instant", voltage, accuracy;
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

/// A book that is made beside its final name, and gets the name only when all went well.
class FreshBook {
public:
  explicit FreshBook(const std::string& path) : final_(path), fresh_(!fs::exists(path)) {
    at_ = fresh_ ? path + ".part" : path;
    if (fresh_) remove();
    book_.emplace(book::Book::open(at_, book::Book::Mode::create));
  }
  ~FreshBook() {
    book_.reset();
    if (fresh_) remove();
  }
  FreshBook(const FreshBook&) = delete;
  FreshBook& operator=(const FreshBook&) = delete;
  book::Book& book() { return *book_; }
  void keep() {
    if (!fresh_) return;
    book_.reset();  // closes, which folds the write-ahead log in
    std::error_code failed;
    fs::rename(at_, final_, failed);
    if (failed) throw Error(Failure::cannot_create, "cannot create book", final_, failed.message());
    fresh_ = false;
  }

private:
  void remove() {
    std::error_code ignored;
    for (const char* tail : {"", "-wal", "-shm"}) fs::remove(at_ + tail, ignored);
  }
  std::string final_, at_;
  bool fresh_;
  std::optional<book::Book> book_;
};

Outcome run(const Options& o, bool json) {
  formats::ImportSettings settings;
  settings.build = o.build;
  settings.columns = o.columns;
  settings.rate_hz = o.rate;
  settings.shunt_ohm = o.shunt;
  if (o.rate && !(*o.rate > 0)) usage("--rate must be more than nothing");
  if (o.shunt && !(*o.shunt > 0)) usage("--shunt must be more than nothing");
  settings.accuracy = option_accuracy(o.accuracy);
  settings.conditions = option_conditions(o.conditions);
  if (!o.voltage.empty()) {
    settings.conditions["voltage"] =
        fmt::format("{:g} V", option_quantity("--voltage", o.voltage, Dimension::voltage));
  }
  read_samples(o.samples, settings);

  FreshBook fresh(o.book);
  Outcome out;
  std::vector<std::int64_t> done;
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  try {
    for (const std::string& file : o.files) {
      settings.name = !o.name.empty() ? o.name : fs::path(file).stem().string();
      const formats::ImportResult result = formats::import_text(fresh.book(), file, settings);
      done.push_back(result.capture);
      nlohmann::ordered_json entry = formats::to_json(fresh.book().capture(result.capture));
      entry["warnings"] = result.warnings;
      for (const std::string& w : result.warnings) say(file + ": " + w);
      list.push_back(std::move(entry));
    }
  } catch (...) {
    for (const std::int64_t id : done) fresh.book().discard(id);  // all files or none
    throw;
  }
  if (!json) {
    for (const std::int64_t id : done) {
      const book::CaptureInfo c = fresh.book().capture(id);
      fmt::print("{}  {}  {}\n", c.id, c.name, duration(c.duration_s()));
    }
  }
  out.document["captures"] = list;
  out.document["warnings"] = nlohmann::ordered_json::array();
  fresh.keep();
  return out;
}

}  // namespace

Runner add_import(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book; made when it is missing")->required();
  app.add_option("FILE", o->files, "text logs")->required();
  app.add_option("--build", o->build, "build under test");
  app.add_option("--name", o->name, "name of the capture (the file's)");
  app.add_option(
      "--column", o->columns,
      "COL=ROLE[unit]; COL is a title or a number from 1, ROLE time, current, voltage, ignore");
  app.add_option("--samples", o->samples, "instant, or averaged[:start|centre|end]");
  app.add_option("--rate", o->rate, "sample rate in Hz, for files without times");
  app.add_option("--shunt", o->shunt, "Ohm; turns the column of voltage into a current");
  app.add_option("--voltage", o->voltage, "nominal supply voltage, as in \"3.6 V\"");
  app.add_option("--accuracy", o->accuracy, "as in \"0.08 % + 40 nA\"");
  app.add_option("--condition", o->conditions, "KEY=VALUE");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
