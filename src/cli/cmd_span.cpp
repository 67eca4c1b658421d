// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/present.h"
#include "formats/json_results.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, channel;
  std::optional<double> from, to;
  bool whole_cycles = false;
};

Outcome run(const Options& o, bool json) {
  const book::Book book = book::Book::open(o.book, book::Book::Mode::read);
  const book::CaptureInfo capture = book.find(o.capture);
  const book::ChannelInfo& channel = book::choose_channel(capture, o.channel, o.book);
  const book::ChannelTrace trace(book, channel);
  double from = o.from.value_or(trace.from_s()), to = o.to.value_or(trace.to_s());
  if (from > to) usage(fmt::format("--from {} lies after --to {}", from, to));
  if (to < trace.from_s() || from > trace.to_s()) {
    throw Error(Failure::bad_data, "span outside the capture", o.book,
                fmt::format("capture {} lasts from {} s to {} s", capture.name, trace.from_s(),
                            trace.to_s()));
  }
  from = std::max(from, trace.from_s());
  to = std::min(to, trace.to_s());
  if ((o.from && *o.from < from) || (o.to && *o.to > to))
    say(fmt::format("the span was cut to the capture: {} s to {} s", from, to));
  if (o.whole_cycles) {
    std::vector<book::SplitCapture> split;
    split.push_back(book::load_split(book, capture));
    const Ledger ledger = book::pooled_ledger(split);
    const LedgerRow* rest = ledger.longest();
    Visits inside;
    for (const VisitFigures& f : split.front().visits) {
      if (f.visit.to_s > from && f.visit.from_s < to) inside.push_back(f.visit);
    }
    const Cycles cycles = rest ? find_cycles(*split.front().trace, inside, rest->state) : Cycles{};
    if (cycles.count == 0) {
      throw Error(Failure::bad_data, "no whole cycle", "capture " + capture.name,
                  "the span holds none of " + (rest ? rest->state : "any state"));
    }
    from = cycles.from_s;
    to = cycles.to_s;
  }
  const SpanFigures s = measure(trace, from, to);
  Basis basis;
  if (!channel.accuracy.empty()) basis.accuracy = parse_accuracy(channel.accuracy);
  basis.voltage = book::nominal_voltage(capture.conditions);
  Outcome out;
  out.document = formats::to_json(s, channel, basis);
  if (!json) {
    const double u = s.mean() ? combine(accuracy_components(basis.accuracy, *s.mean())).U : 0;
    fmt::print("{} → {} ({}): mean {}, ", with_prefix(s.from_s, "s", 6),
               with_prefix(s.to_s, "s", 6), duration(s.duration_s()),
               s.mean() ? with_uncertainty(*s.mean(), u, channel.unit) : "–");
    if (channel.quantity == "current")
      fmt::print("{}, ", with_uncertainty(s.charge, u * s.observed_s, "C"));
    fmt::print("peak {}{}\n", s.max ? with_prefix(*s.max, channel.unit, 4) : "–",
               s.lower_bound() ? " (over range inside: lower bounds)" : "");
    if (s.missing_s > 0) fmt::print("{} missing\n", duration(s.missing_s));
  }
  return out;
}

}  // namespace

Runner add_span(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--from", o->from, "s from the capture's start");
  app.add_option("--to", o->to, "s from the capture's start");
  app.add_option("--channel", o->channel, "channel (the only current)");
  app.add_flag("--whole-cycles", o->whole_cycles,
               "only the whole cycles of the longest state inside");
  return [o](bool json) { return run(*o, json); };
}

}  // namespace kuvio::cli
