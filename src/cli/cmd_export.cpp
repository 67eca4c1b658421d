// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/json_results.h"
#include "formats/output_file.h"
#include "formats/samples_csv.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, format = "csv", out;
  std::vector<std::string> channels;
  std::optional<double> from, to;
};

nlohmann::ordered_json split_document(const book::Book& book, const book::CaptureInfo& capture) {
  std::vector<book::SplitCapture> split;
  split.push_back(book::load_split(book, capture));
  nlohmann::ordered_json out;
  out["capture"] = capture.name;
  out["visits"] = nlohmann::ordered_json::array();
  for (const VisitFigures& v : split.front().visits) {
    nlohmann::ordered_json one;
    one["state"] = v.visit.state;
    one["from_s"] = v.visit.from_s;
    one["to_s"] = v.visit.to_s;
    one["whole"] = v.visit.whole;
    one["mean_a"] = v.mean ? nlohmann::ordered_json(*v.mean) : nlohmann::ordered_json();
    one["charge_c"] = v.charge;
    one["peak_a"] = v.peak ? nlohmann::ordered_json(*v.peak) : nlohmann::ordered_json();
    out["visits"].push_back(one);
  }
  return out;
}

Outcome run(const Options& o, bool json) {
  const book::Book book = book::Book::open(o.book, book::Book::Mode::read);
  const book::CaptureInfo capture = book.find(o.capture);
  Outcome out;
  out.document["out"] = o.out;
  if (o.format == "json") {
    const auto document = split_document(book, capture);
    formats::write_file(o.out, document.dump(2) + "\n");
    out.document["visits"] = document["visits"].size();
    if (!json) say(fmt::format("{} visits written to {}", document["visits"].size(), o.out));
    return out;
  }
  if (o.format != "csv") usage(fmt::format("--format is csv or json, not \"{}\"", o.format));
  std::vector<std::unique_ptr<book::ChannelTrace>> traces;
  std::vector<formats::SampleColumn> columns;
  const auto add = [&](const book::ChannelInfo& c) {
    traces.push_back(std::make_unique<book::ChannelTrace>(book, c));
    columns.push_back({c.name, c.unit, traces.back().get(),
                       c.encoding == book::Encoding::f4 && c.calibration.identity()});
  };
  for (const std::string& name : o.channels) add(book::choose_channel(capture, name, o.book));
  if (o.channels.empty()) {
    // The main current gives the moments; what stands on others is left out and told.
    const book::ChannelInfo& main = book::main_current(capture, o.book);
    add(main);
    for (const book::ChannelInfo& c : capture.channels) {
      if (c.id != main.id && c.samples > 0) add(c);
    }
  }
  const double from = o.from.value_or(traces.front()->from_s()),
               to = o.to.value_or(traces.front()->to_s());
  if (from > to) usage(fmt::format("--from {} lies after --to {}", from, to));
  const auto written = formats::write_samples_csv(o.out, columns, from, to);
  if (!o.channels.empty() && !written.left_out.empty())
    say(fmt::format("{} stands on other moments than {} and was left out; export it by itself",
                    written.left_out.front(), written.columns.front()));
  out.document["rows"] = written.rows;
  out.document["columns"] = written.columns;
  out.document["left_out"] = written.left_out;
  if (!json)
    say(fmt::format("{} samples of {} channels written to {}", written.rows, written.columns.size(),
                    o.out));
  return out;
}

}  // namespace

Runner add_export(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--format", o->format, "csv: samples; json: visits");
  app.add_option("--out", o->out, "file to write")->required();
  app.add_option("--from", o->from, "s from the capture's start");
  app.add_option("--to", o->to, "s from the capture's start");
  app.add_option("--channel", o->channels, "channel (all on the main current's moments)");
  return [o](bool json) { return run(*o, json); };
}

}  // namespace kuvio::cli
