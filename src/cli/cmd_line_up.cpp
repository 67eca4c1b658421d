// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "book/channel_trace.h"
#include "book/notes.h"
#include "core/line_up.h"

#include "command.h"

#include <fmt/format.h>
#include <re2/re2.h>

#include <cmath>
#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, reference, other, entry, log;
  std::optional<double> offset;
  int number = 1;
  bool keep = false;
};

std::optional<double> nth_line(const book::Book& book, const book::CaptureInfo& capture,
                               const re2::RE2& what, int n) {
  for (const book::LogLine& line : book.log(capture.id)) {
    if (re2::RE2::PartialMatch(line.text, what) && --n == 0) return line.time_s;
  }
  return std::nullopt;
}

Visits visits_of(const book::Book& book, const book::CaptureInfo& capture) {
  const auto split = book::edited_split(book, capture);
  if (!split) {
    throw Error(Failure::bad_data, "not split", "capture " + capture.name,
                "kuvio-cli states splits it first");
  }
  return split->split.visits;
}

Outcome run(const Options& o, bool json) {
  const int ways = (o.offset ? 1 : 0) + (o.entry.empty() ? 0 : 1) + (o.log.empty() ? 0 : 1);
  if (ways > 1) usage("only one of --offset, --entry and --log");
  const book::Book book =
      book::Book::open(o.book, o.keep ? book::Book::Mode::write : book::Book::Mode::read);
  const book::CaptureInfo a = book.find(o.reference), b = book.find(o.other);
  if (a.id == b.id) usage("reference and other are the same capture");
  Outcome out;
  std::optional<double> offset = o.offset;
  std::string how = "typed";
  auto& d = out.document;
  d["reference"] = a.name;
  d["other"] = b.name;
  d["mode"] = o.offset           ? "offset"
              : !o.entry.empty() ? "entry"
              : !o.log.empty()   ? "log"
                                 : "automatic";
  if (!o.entry.empty()) {
    offset = line_up_entries(visits_of(book, a), visits_of(book, b), o.entry, o.number);
    how = fmt::format("by entry {} into {}", o.number, o.entry);
  } else if (!o.log.empty()) {
    re2::RE2::Options options;
    options.set_log_errors(false);
    options.set_case_sensitive(false);
    const re2::RE2 what(o.log, options);
    if (!what.ok()) usage(fmt::format("--log \"{}\": {}", o.log, what.error()));
    const auto x = nth_line(book, a, what, o.number), y = nth_line(book, b, what, o.number);
    if (x && y) offset = *x - *y;
    how = fmt::format("by log line {} with \"{}\"", o.number, o.log);
  } else if (!o.offset) {
    const book::ChannelTrace x(book, book::shown_channel(a, o.book)),
        y(book, book::shown_channel(b, o.book));
    const LineUp found = line_up(x, y);
    d["confidence"] = found.confidence;
    d["correlation"] = found.correlation;
    d["next_best"] = found.next_best;
    if (found.found()) offset = found.offset_s;
    how = fmt::format("by what both show, confidence {:.2f}", found.confidence);
    if (!found.found()) d["why_not"] = found.why_not;
  }
  if (offset && !std::isfinite(*offset)) usage("--offset must be a number");
  d["offset_s"] = offset ? nlohmann::ordered_json(*offset) : nlohmann::ordered_json();
  if (!offset) {
    out.status = 2;
    const std::string why = d.contains("why_not")
                                ? d["why_not"].get<std::string>()
                                : fmt::format("one of them has fewer than {} of these", o.number);
    say(fmt::format("not lined up: {} and {}: {}", a.name, b.name, why));
    return out;
  }
  if (o.keep) {
    const double axis = book::lined_up(book, a.id).offset_s;
    book::put(book, {book::lined_up_note(b.id, {*offset + axis, how})});
  }
  if (!json) fmt::print("{}: offset {:+.9g} s from {}, {}\n", b.name, *offset, a.name, how);
  return out;
}

}  // namespace

Runner add_line_up(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("REFERENCE", o->reference, "capture that stays, id or unique name")->required();
  app.add_option("OTHER", o->other, "capture to align with it")->required();
  app.add_option("--offset", o->offset, "offset to add to its times, in s");
  app.add_option("--entry", o->entry, "align the nth entries into this state");
  app.add_option("--log", o->log, "align the nth log lines matching this expression");
  app.add_option("--number", o->number, "which entry or line (1)")->check(CLI::PositiveNumber);
  app.add_flag("--keep", o->keep, "save the offset in the book");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
