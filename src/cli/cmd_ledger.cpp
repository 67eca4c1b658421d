// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/charge_flow.h"
#include "core/cycles.h"
#include "core/number_text.h"
#include "formats/json_results.h"
#include "formats/phrases.h"

#include "command.h"

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, cycle;
};

Outcome run(const Options& o, const Output& output) {
  const book::Book book = open_to_read(o.book);
  std::vector<book::SplitCapture> captures;
  captures.push_back(book::load_split(book, book.find(o.capture)));
  const book::SplitCapture& capture = captures.front();
  say_old_edges(formats::old_edges_texts(captures));
  const Ledger ledger = book::pooled_ledger(captures);
  std::string state = o.cycle;
  if (state.empty() && ledger.longest()) state = ledger.longest()->state;
  if (!o.cycle.empty() && (!ledger.find(state) || ledger.find(state)->visits == 0)) {
    throw Error(Failure::bad_data, "no such state", "capture " + capture.info.name,
                "it has no visit to \"" + state + "\"");
  }
  const CycleFigures cycles = figures_of_cycles(capture.visits, state);
  Outcome out;
  const auto flows = capture.trace ? charge_flow_by_state(*capture.trace, capture.visits)
                                   : std::map<std::string, ChargeFlow>{};
  out.document = formats::to_json(capture.info.name, ledger, cycles, flows, explain_of(output));
  if (output.json) return out;
  std::vector<std::vector<std::string>> rows{
      {"state", "visits", "time", "mean", "charge", "share", "per visit", "peak"}};
  for (const LedgerRow& r : ledger.rows) {
    if (capture.info.typed && !r.typed) continue;
    rows.push_back(
        {r.state, std::to_string(r.visits), r.typed ? "typed" : with_prefix(r.time_s, "s", 5),
         r.mean ? formats::bounds_mark(r.bounds) + with_uncertainty(*r.mean, r.mean_u.U, "A") : "–",
         r.typed ? "–"
                 : formats::bounds_mark(r.bounds) + with_uncertainty(r.charge, r.charge_u.U, "C"),
         r.typed ? "–" : percent(r.charge_share),
         r.whole_visits ? formats::bounds_mark(r.bounds) +
                              with_uncertainty(r.charge_per_visit.mean, r.charge_per_visit_u.U, "C")
                        : "–",
         r.peak ? formats::bounds_mark(r.bounds) + with_prefix(*r.peak, "A", 3) : "–"});
  }
  if (capture.info.typed) {
    print_table(rows);
    std::puts("Readings taken by eye: how often each state came they do not say.");
    return out;
  }
  const std::string open = formats::bounds_mark(ledger.bounds);
  rows.push_back(
      {"Whole capture", "", with_prefix(ledger.time_s, "s", 5),
       ledger.mean ? open + with_uncertainty(*ledger.mean, ledger.mean_u.U, "A") : "–",
       open + with_uncertainty(ledger.charge, ledger.mean_u.U * ledger.observed_s(), "C"), "", "",
       ""});
  print_table(rows);
  std::puts("Means are over all stays, cut ones too; per visit over whole visits.");
  if (!ledger.basis.accuracy.stated()) std::puts("Accuracy not stated: ± is the spread alone.");
  if (cycles.count > 0) {
    std::printf("%zu %s of %s: %s each, %s\n", cycles.count, cycles.count == 1 ? "cycle" : "cycles",
                cycles.state.c_str(), duration(cycles.period.mean).c_str(),
                with_uncertainty(
                    cycles.charge.mean,
                    cycles.count < 2 ? 0 : student_t(cycles.charge.freedom) * cycles.charge.u, "C")
                    .c_str());
  }
  return out;
}

}  // namespace

Runner add_ledger(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--cycle", o->cycle, "state whose entries start a cycle (default: the longest)");
  return [o](const Output& output) { return run(*o, output); };
}

}  // namespace kuvio::cli
