// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/charge_flow.h"
#include "core/cycles.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/json_results.h"
#include "formats/phrases.h"

#include "command.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, channel;
  std::optional<double> from, to;
  bool whole_cycles = false;
};

Outcome run(const Options& o, const Output& output) {
  const book::Book book = open_to_read(o.book);
  const book::CaptureInfo capture = book.find(o.capture);
  const bool alone = o.channel.empty() && capture.channels.size() == 1;  // whatever it holds
  const book::ChannelInfo& channel =
      alone ? capture.channels.front() : book::choose_channel(capture, o.channel, o.book);
  const book::ChannelTrace trace(book, channel);
  double from = o.from.value_or(trace.from_s()), to = o.to.value_or(trace.to_s());
  if (!std::isfinite(from) || !std::isfinite(to)) usage("--from and --to are moments in s");
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
  std::optional<book::SplitCapture> split;
  if (o.whole_cycles || capture.split) split = book::load_split(book, capture);
  if (o.whole_cycles) {
    const LedgerRow* rest = nullptr;
    std::vector<book::SplitCapture> one;
    one.push_back(std::move(*split));
    const Ledger ledger = book::pooled_ledger(one);
    split = std::move(one.front());
    rest = ledger.longest();
    const auto cycles =
        rest ? cycles_inside(visits_of(split->visits), rest->state, from, to) : std::nullopt;
    if (!cycles) {
      throw Error(Failure::bad_data, "no whole cycle", "capture " + capture.name,
                  "the span holds none of " + (rest ? rest->state : "any state"));
    }
    from = cycles->from_s;
    to = cycles->to_s;
  }
  const SpanFigures s = measure(trace, from, to);
  const Basis basis = book::basis_of(capture, channel);
  const double edges = split && split->channel.id == channel.id
                           ? book::edge_difference(*split, s.from_s, s.to_s)
                           : 0;
  Outcome out;
  const ChargeFlow flow = charge_flow(trace, s.from_s, s.to_s);
  out.document = formats::to_json(s, channel, basis, flow, explain_of(output));
  if (channel.quantity == Quantity::current) out.document["ledger_may_differ_c"] = edges;
  if (!output.json) {
    const double u = s.mean() ? expand(accuracy_components(basis.accuracy, *s.mean())).U : 0;
    const std::string mark = formats::bounds_mark(s.bounds());
    fmt::print("{} → {} ({}): mean {}{}, ", with_prefix(s.from_s, "s", 6),
               with_prefix(s.to_s, "s", 6), duration(s.duration_s()), mark,
               s.mean() ? with_uncertainty(*s.mean(), u, channel.unit) : "–");
    if (channel.quantity == Quantity::current)
      fmt::print("{}{}, ", mark, with_uncertainty(s.charge, u * s.observed_s, "C"));
    fmt::print("peak {}{}{}\n", s.bounds().lower ? "≥ " : "",
               s.max ? with_prefix(*s.max, channel.unit, 4) : "–",
               s.bounds().any() ? " (samples out of range inside: bounds)" : "");
    // Noise below zero is no charging: what comes back is said once it is more than a thousandth.
    if (channel.quantity == Quantity::current && flow.in > 1e-3 * flow.out)
      fmt::print("charge out {}, charge in {}\n", with_prefix(flow.out, "C", 4),
                 with_prefix(flow.in, "C", 4));
    if (s.missing_s > 0) fmt::print("{} missing\n", duration(s.missing_s));
    if (edges > 0)
      fmt::print(
          "An end lies in an edge between states: the ledger shares its charge by the levels "
          "beside it and may differ by {}\n",
          with_prefix(edges, "C", 2));
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
  app.add_option("--channel", o->channel, "channel (default: the only current)");
  app.add_flag("--whole-cycles", o->whole_cycles,
               "only the whole cycles of the longest state inside");
  return [o](const Output& output) { return run(*o, output); };
}

}  // namespace kuvio::cli
