// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "core/budget.h"
#include "core/charge_flow.h"
#include "core/cycles.h"
#include "core/number_text.h"
#include "formats/json_number.h"
#include "formats/json_results.h"
#include "formats/phrases.h"
#include "formats/project_files.h"

#include "command.h"
#include "ledger_parts.h"
#include "study/other_ledger.h"

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, cycle, channel, budget;
  LedgerParts parts;
};

/// What a budget expects of a state, and what it allows: "mean current ≤ 4 µA; …".
struct Named {
  std::string expected = "–", limit = "–";
};
Named named_by(const Budget& budget, const std::string& state) {
  Named out;
  const auto put = [](std::string& cell, const std::string& text) {
    cell = cell == "–" ? text : cell + "; " + text;
  };
  for (const Limit& l : budget.limits) {
    if (l.scope != Scope::state || l.state != state) continue;
    const std::string what = l.name().substr(state.size() + 2) + " ";
    if (l.expect)
      put(out.expected, what + formats::figure_text(*l.expect, 0, info(l.quantity).unit()));
    if (l.max || l.min) put(out.limit, what + formats::limit_text(l));
  }
  return out;
}

nlohmann::ordered_json limits_of(const Budget& budget, const std::string& state) {
  nlohmann::ordered_json out = nlohmann::ordered_json::array();
  for (const Limit& l : budget.limits) {
    if (l.scope != Scope::state || l.state != state) continue;
    out.push_back({{"quantity", info(l.quantity).key},
                   {"statistic", info(l.statistic).key},
                   {"expected", formats::json_number(l.expect)},
                   {"max", formats::json_number(l.max)},
                   {"min", formats::json_number(l.min)},
                   {"unit", info(l.quantity).unit()}});
  }
  return out;
}

void print_rows(const Ledger& ledger, bool typed, const Ledger* main, const Budget* budget) {
  std::vector<std::vector<std::string>> rows{
      {"state", "visits", "time", "mean", "charge", "share", "per visit", "peak"}};
  if (main) rows.front().push_back("of all");
  if (budget) rows.front().insert(rows.front().end(), {"expected", "limit"});
  for (const LedgerRow& r : ledger.rows) {
    if (typed && !r.typed) continue;
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
    if (main) {
      const LedgerRow* all = main->find(r.state);
      rows.back().push_back(all && all->charge > 0 ? percent(r.charge / all->charge) : "–");
    }
    if (budget) {
      const Named named = named_by(*budget, r.state);
      rows.back().insert(rows.back().end(), {named.expected, named.limit});
    }
  }
  if (!typed) {
    const std::string open = formats::bounds_mark(ledger.bounds);
    rows.push_back(
        {"Whole capture", "", with_prefix(ledger.time_s, "s", 5),
         ledger.mean ? open + with_uncertainty(*ledger.mean, ledger.mean_u.U, "A") : "–",
         open + with_uncertainty(ledger.charge, ledger.mean_u.U * ledger.observed_s(), "C"), "", "",
         ""});
    if (main) rows.back().push_back(main->charge > 0 ? percent(ledger.charge / main->charge) : "–");
    if (budget) rows.back().insert(rows.back().end(), {"", ""});
  }
  print_table(rows);
}

void print_cycles(const CycleFigures& cycles, const std::string& settles) {
  if (cycles.count == 0) return;
  std::printf("%zu %s of %s: %s each, %s%s\n", cycles.count, cycles.count == 1 ? "cycle" : "cycles",
              cycles.state.c_str(), duration(cycles.period.mean).c_str(),
              with_uncertainty(
                  cycles.charge.mean,
                  cycles.count < 2 ? 0 : student_t(cycles.charge.freedom) * cycles.charge.u, "C")
                  .c_str(),
              settles.empty() ? "" : ("; " + settles).c_str());
}

Outcome run(const Options& o, const Output& output) {
  const std::optional<Budget> budget =
      o.budget.empty() ? std::nullopt : std::optional(formats::read_budget(o.budget));
  const book::Book book = open_to_read(o.book);
  std::vector<book::SplitCapture> captures;
  captures.push_back(book::load_split(book, book.find(o.capture)));
  const book::SplitCapture& capture = captures.front();
  say_old_edges(formats::old_edges_texts(captures));
  const Ledger main = book::pooled_ledger(captures);
  const bool elsewhere = !o.channel.empty() && o.channel != capture.channel.name;
  const study::OtherLedger other =
      elsewhere ? study::ledger_on(book, capture, o.channel) : study::OtherLedger{};
  const Ledger& ledger = elsewhere ? other.ledger : main;
  const std::vector<VisitFigures>& visits = elsewhere ? other.visits : capture.visits;
  std::string state = o.cycle;
  if (state.empty() && ledger.longest()) state = ledger.longest()->state;
  if (!o.cycle.empty()) require_state(capture, ledger, state);
  const CycleFigures cycles = figures_of_cycles(visits, state);
  const Trace* trace = elsewhere ? other.trace.get() : capture.trace.get();
  Outcome out;
  const auto flows =
      trace ? charge_flow_by_state(*trace, visits) : std::map<std::string, ChargeFlow>{};
  out.document = formats::to_json(capture.info.name, ledger, cycles, flows, explain_of(output));
  if (!capture.info.typed) out.document["channel"] = elsewhere ? o.channel : capture.channel.name;
  for (std::size_t i = 0; elsewhere && i < ledger.rows.size(); ++i) {
    const LedgerRow* all = main.find(ledger.rows[i].state);
    auto& share = out.document["rows"][i]["charge_of_all"];
    share = nullptr;
    if (all && all->charge > 0) share = ledger.rows[i].charge / all->charge;
  }
  for (std::size_t i = 0; budget && i < ledger.rows.size(); ++i)
    out.document["rows"][i]["limits"] = limits_of(*budget, ledger.rows[i].state);
  const Parts parts = find_parts(o.parts, book, capture, visits, ledger, state, out.document);
  if (output.json) return out;
  print_rows(ledger, capture.info.typed, elsewhere ? &main : nullptr, budget ? &*budget : nullptr);
  if (capture.info.typed) {
    std::puts("Readings taken by eye: how often each state came they do not say.");
    return out;
  }
  if (elsewhere)
    std::printf("%s in the visits of %s; of all: its share of the charge of %s.\n",
                o.channel.c_str(), capture.channel.name.c_str(), capture.channel.name.c_str());
  std::puts("Means are over all stays, cut ones too; per visit over whole visits.");
  if (!ledger.basis.accuracy.stated()) std::puts("Accuracy not stated: ± is the spread alone.");
  print_cycles(cycles, parts.settles);
  print_parts(parts);
  return out;
}

}  // namespace

Runner add_ledger(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--cycle", o->cycle, "state whose entries start a cycle (default: the longest)");
  app.add_option("--channel", o->channel, "account for this current in the same visits");
  app.add_option("--budget", o->budget, "beside each state what this budget expects and allows");
  add_parts(app, o->parts);
  return [o](const Output& output) { return run(*o, output); };
}

}  // namespace kuvio::cli
