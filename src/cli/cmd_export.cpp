// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/export_formats.h"

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

Outcome run(const Options& o, bool json) {
  const formats::ExportFormat* format = formats::export_format(o.format);
  if (!format) usage(fmt::format("--format is {}, not \"{}\"", formats::export_keys(), o.format));
  if (o.from && o.to && *o.from > *o.to)
    usage(fmt::format("--from {} lies after --to {}", *o.from, *o.to));
  const book::Book book = open_to_read(o.book);
  const book::CaptureInfo capture = book.find(o.capture);
  const auto written = format->write(o.out, book, capture, {o.channels, o.from, o.to, {}});
  if (!o.channels.empty() && !written.left_out.empty())
    say(fmt::format("{} is sampled at other times than {} and was left out; export it separately",
                    written.left_out.front(), written.columns.front()));
  Outcome out;
  out.document["out"] = o.out;
  out.document["holds"] = format->holds;
  out.document["rows"] = written.rows;
  out.document["columns"] = written.columns;
  out.document["left_out"] = written.left_out;
  if (!json) {
    const std::string of =
        written.columns.empty() ? "" : fmt::format(" of {} channels", written.columns.size());
    say(fmt::format("{} {}{} written to {}", written.rows, format->holds, of, o.out));
  }
  return out;
}

}  // namespace

Runner add_export(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  std::string formats;
  for (const formats::ExportFormat& f : formats::export_formats())
    formats += fmt::format("{}{}: {}", formats.empty() ? "" : "; ", f.key, f.holds);
  app.add_option("--format", o->format, formats);
  app.add_option("--out", o->out, "file to write")->required();
  app.add_option("--from", o->from, "s from the capture's start");
  app.add_option("--to", o->to, "s from the capture's start");
  app.add_option("--channel", o->channels, "channel (default: all sampled with the main current)");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
