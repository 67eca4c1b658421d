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
  const book::Book book = open_to_read(o.book);
  const book::CaptureInfo capture = book.find(o.capture);
  Outcome out;
  out.document["out"] = o.out;
  if (o.format == "json") {
    const auto document = split_document(book, capture);
    formats::write_file(
        o.out, document.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n");
    out.document["visits"] = document["visits"].size();
    if (!json) say(fmt::format("{} visits written to {}", document["visits"].size(), o.out));
    return out;
  }
  if (o.format != "csv") usage(fmt::format("--format is csv or json, not \"{}\"", o.format));
  if (o.from && o.to && *o.from > *o.to)
    usage(fmt::format("--from {} lies after --to {}", *o.from, *o.to));
  const auto written = formats::write_samples_csv(o.out, book, capture, o.channels, o.from, o.to);
  if (!o.channels.empty() && !written.left_out.empty())
    say(fmt::format("{} is sampled at other times than {} and was left out; export it separately",
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
  app.add_option("--channel", o->channels, "channel (default: all sampled with the main current)");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
