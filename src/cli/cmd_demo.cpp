// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/simulated.h"
#include "book/analysis.h"
#include "book/capture_writer.h"
#include "book/notes.h"
#include "core/number_text.h"
#include "formats/example.h"
#include "formats/json_results.h"
#include "formats/project_files.h"

#include "command.h"
#include "record_here.h"
#include "simulated_bench.h"

#include <fmt/format.h>
#include <unistd.h>

#include <array>
#include <cmath>
#include <filesystem>
#include <memory>

namespace kuvio::cli {
namespace {

namespace fs = std::filesystem;

struct Options {
  std::string book, recipe;
  double speed = 900;
  std::uint64_t seed = 20;
  bool quick = false;
  std::int64_t samples = 0;
};

/// One capture of a build, over the wires of a simulated bench in another process.
std::int64_t record_build(book::Book& book, const std::string& build, const Options& o) {
  const SimulatedBench bench({"--build", build, "--seed", std::to_string(o.seed), "--speed",
                              fmt::format("{:g}", o.speed)});
  acquire::RecordSettings s;
  s.name = s.build = build;
  acquire::InputConfig analyser{acquire::parse_endpoint(bench.scpi()), {}};
  acquire::OutputSettings output;
  output.voltage = 3.6;
  output.current_limit = 0.4;
  output.power_on = output.power_off = true;
  analyser.settings.outputs[""] = output;
  analyser.settings.channels = {"I", "V"};
  analyser.settings.logic = {"radio_on", "locate_on"};
  s.inputs = {analyser};
  s.log = acquire::parse_endpoint(bench.log());
  s.seconds = o.quick ? 600 : 3600;
  s.time_scale = o.speed;
  s.accuracy = acquire::kSimulatedAccuracy;
  s.conditions = {{"board", "satchel-07"}, {"debugger", "detached"}, {"temperature", "23 degC"}};
  for (const double share : {0.18, 0.52, 0.86}) s.sends.push_back({s.seconds * share, "uplink"});
  say(fmt::format("recording {} for {} at {} × real time", build, duration(s.seconds), o.speed));
  const acquire::RecordResult result = record_here(book, s);
  for (const std::string& w : result.warnings) say(w);
  if (result.interrupted)
    throw Error(Failure::unavailable, "demo recording failed", build, result.end_reason);
  return result.capture;
}

/// A long trace of rounds, written straight into the book: for trials of size alone.
std::int64_t write_samples(book::Book& book, std::int64_t total) {
  book::ChannelInfo channel;
  channel.name = "I";
  channel.time_base = {1, 1000};
  channel.input = "made";
  channel.accuracy = acquire::kSimulatedAccuracy;
  book::CaptureSpec spec{
      fmt::format("{} samples", total), "made", {{"input", "made"}, {"voltage", "3.6 V"}}, true};
  book::CaptureWriter writer(book, spec, {channel});
  std::uint64_t noise = 88172645463325252U;
  std::vector<double> values;
  for (std::int64_t at = 0; at < total;) {
    const std::int64_t n = std::min<std::int64_t>(1 << 20, total - at);
    values.resize(static_cast<std::size_t>(n));
    for (std::int64_t i = 0; i < n; ++i) {
      noise ^= noise << 13;
      noise ^= noise >> 7;
      noise ^= noise << 17;  // xorshift64 (Marsaglia 2003)
      const double r = static_cast<double>(noise >> 11) * 0x1p-53 - 0.5;
      const std::int64_t in_round = (at + i) % 60000;
      const double level = in_round < 35    ? 4e-3
                           : in_round < 835 ? 0.8e-3
                           : in_round < 925 ? 11e-3
                                            : 3.1e-6;
      values[static_cast<std::size_t>(i)] = level * (1 + 0.01 * r) + 100e-9 * r;
    }
    writer.append(0, at, 1, values);
    writer.flush();
    at += n;
  }
  writer.finish("made", false);
  return writer.id();
}

Outcome make(const Options& o, const formats::RecipeFile& recipe, bool json) {
  book::Book book = book::Book::open(o.book, book::Book::Mode::create);
  std::vector<std::int64_t> made;
  if (o.samples > 0) {
    made.push_back(write_samples(book, o.samples));
  } else {
    for (const char* build : {"2.3.0", "2.4.0-rc1", "2.4.0-rc2"})
      made.push_back(record_build(book, build, o));
  }
  if (o.samples == 0) {
    std::vector<book::Note> documents;
    for (const book::DocumentKind kind : formats::example_kinds()) {
      book::Document document = formats::example(kind);
      if (kind == book::DocumentKind::recipe) document.text = document.saved = recipe.text;
      documents.push_back(book::document_note(kind, document));
    }
    book::put(book, documents);
  }
  Outcome out;
  out.document["captures"] = nlohmann::ordered_json::array();
  for (const std::int64_t id : made) {
    book.save_split(id, book::split_capture(book, book.capture(id), recipe.recipe, recipe.text));
    out.document["captures"].push_back(formats::to_json(book.capture(id)));
    if (!json) {
      const book::CaptureInfo c = book.capture(id);
      fmt::print("{}  {}  {}\n", c.id, c.name, duration(c.duration_s()));
    }
  }
  return out;
}

Outcome run(const Options& o, bool json) {
  if (o.samples < 0) usage("--samples cannot be negative");
  if (fs::exists(o.book)) {
    throw Error(Failure::cannot_create, "demo book exists", o.book,
                "remove it, or give another name");
  }
  const book::Document own = formats::example(book::DocumentKind::recipe);
  const formats::RecipeFile recipe =
      o.recipe.empty() ? formats::parse_recipe(own.text, own.name) : formats::read_recipe(o.recipe);
  try {
    return make(o, recipe, json);
  } catch (...) {
    for (const char* tail : {"", "-wal", "-shm"})
      ::unlink((o.book + tail).c_str());  // all or nothing
    throw;
  }
}

}  // namespace

Runner add_demo(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book to make")->required();
  app.add_flag("--quick", o->quick, "captures of ten minutes instead of an hour");
  app.add_option("--samples", o->samples,
                 "one synthetic capture of this many samples, for size tests");
  app.add_option("--speed", o->speed, "simulated seconds per second")
      ->check(CLI::Range(1.0, 5000.0));
  app.add_option("--seed", o->seed, "seed of the simulated bench");
  app.add_option("--recipe", o->recipe, "state recipe to split by (the demo's own)");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
