// SPDX-License-Identifier: GPL-3.0-or-later
#include "ledger_parts.h"

#include "book/anchors.h"
#include "core/convergence.h"
#include "core/line_fit.h"
#include "core/number_text.h"
#include "core/quantity.h"
#include "core/transitions.h"
#include "core/visit_counts.h"
#include "core/visit_survey.h"
#include "formats/account_results.h"
#include "formats/phrases.h"

#include "command.h"
#include "study/troubles.h"
#include "study/waits.h"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

namespace kuvio::cli {
namespace {

class Finding {
public:
  Finding(const LedgerParts& asked, const book::Book& book, const book::SplitCapture& capture,
          const std::vector<VisitFigures>& visits, const Ledger& ledger,
          nlohmann::ordered_json& document)
      : asked_(asked),
        book_(book),
        capture_(capture),
        visits_(visits),
        ledger_(ledger),
        document_(document) {}

  Parts run(const std::string& cycle) {
    const Convergence settles = convergence_of(visits_, cycle);
    if (document_["cycles"].is_object())
      document_["cycles"]["convergence"] = formats::to_json(settles);
    found_.settles = formats::convergence_sentence(settles);
    if (!asked_.visits.empty()) list_visits();
    if (asked_.transitions || !asked_.reference.empty()) list_transitions();
    if (!asked_.per.empty()) fit();
    if (!asked_.latency.empty()) wait();
    if (asked_.troubles) list_troubles();
    return std::move(found_);
  }

private:
  void list_visits() {
    require_state(capture_, ledger_, asked_.visits);
    const VisitSurvey survey = survey_visits(visits_, asked_.visits);
    document_["visits"] = formats::to_json(survey, visits_);
    found_.table.push_back({"from", "length", "mean", "charge", "peak", ""});
    for (const std::size_t i : survey.visits) {
      const VisitFigures& f = visits_[i];
      const std::string open = formats::bounds_mark(f.bounds);
      std::string remark = f.visit.whole ? "" : "cut";
      for (const OddVisit& o : survey.odd) {
        if (o.visit != i) continue;
        remark += fmt::format("{}{} unlike the others' {}", remark.empty() ? "" : ", ",
                              to_string(o.measure), with_prefix(o.usual, unit_of(o.measure), 4));
      }
      found_.table.push_back({with_prefix(f.visit.from_s, "s", 6), duration(f.visit.length_s()),
                              f.mean ? open + with_prefix(*f.mean, "A", 4) : "–",
                              open + with_prefix(f.charge, "C", 4),
                              f.peak ? open + with_prefix(*f.peak, "A", 3) : "–", remark});
    }
    if (const UsualVisit* u = survey.of(VisitMeasure::charge); u && u->visits < kNeededForOdd)
      say(fmt::format("{} whole visits: too few to tell which is unlike the others", u->visits));
  }

  void list_transitions() {
    const Visits visits = visits_of(visits_);
    const Transitions here = transitions_of({&visits});
    document_["transitions"] = formats::to_json(here);
    for (const Transition& t : here.all)
      found_.lines.push_back(
          fmt::format("{} to {}: {} of {} exits{}", t.from, t.to, t.count, here.exits(t.from),
                      t.longest_s > 0 ? ", after " + duration(t.median_s) + " as a median" : ""));
    if (asked_.reference.empty()) return;
    std::vector<Visits> theirs;
    std::vector<const Visits*> all;
    for (const book::CaptureInfo& info : captures_of(book_, asked_.reference))
      theirs.push_back(visits_of(book::load_split(book_, info).visits));
    for (const Visits& v : theirs) all.push_back(&v);
    const WayComparison ways = compare_ways(here, transitions_of(all));
    document_["ways"] = formats::to_json(ways, asked_.reference);
    for (const std::string& state : ways.new_states)
      found_.lines.push_back(fmt::format("{}: never a state of {}", state, asked_.reference));
    std::size_t told = 0;
    for (const WayDifference& d : ways.pairs) {
      const std::string sentence = formats::way_sentence(d, asked_.reference);
      if (sentence.empty()) continue;
      found_.lines.push_back(sentence);
      ++told;
    }
    if (told == 0)
      found_.lines.push_back("no state is followed by another than in " + asked_.reference);
  }

  void fit() {
    book::LogCounts lines;
    try {
      lines = book::log_counts(book_.log(capture_.info.id), asked_.per);
    } catch (const std::invalid_argument& e) {
      usage(fmt::format("--per \"{}\": {}", asked_.per, e.what()));
    }
    if (lines.strange > 0)
      say(fmt::format("{} lines that hold it tell no number and were left out", lines.strange));
    if (lines.counts.empty()) {
      throw Error(Failure::bad_data, "no such line", "capture " + capture_.info.name,
                  "no log line holds \"" + asked_.per + "\" with a number");
    }
    const std::string state = asked_.per_state.empty()
                                  ? state_of_counts(visits_, lines.counts, kLogSlack)
                                  : asked_.per_state;
    require_state(capture_, ledger_, state);
    const VisitCounts counts =
        count_in_visits(visits_, state, lines.counts, kLogSlack,
                        lines.numbers ? WithoutLine::unknown : WithoutLine::zero);
    const auto line = fit_line(counts.points);
    if (!line) {
      throw Error(Failure::bad_data, "no line to be drawn", "capture " + capture_.info.name,
                  counts.points.size() < 2
                      ? fmt::format("{} whole visits to {} have such a line; two are needed",
                                    counts.points.size(), state)
                      : fmt::format("all {} visits to {} count the same ({:g})",
                                    counts.points.size(), state, counts.points.front().x));
    }
    document_["per"] = formats::to_json(*line, counts, visits_, ledger_.basis.accuracy);
    document_["per"]["state"] = state;
    document_["per"]["pattern"] = asked_.per;
    const FittedU u = fitted_u(*line, counts, visits_, ledger_.basis.accuracy);
    found_.lines.push_back(fmt::format(
        "{}: {} for each counted, and {} with none, over {} visits that count {:g} to {:g}", state,
        with_uncertainty(line->slope, u.slope.value_or(0), "C"),
        with_uncertainty(line->base, u.base.value_or(0), "C"), line->points, line->from_x,
        line->to_x));
    if (!line->straight())
      found_.lines.push_back("no straight line: what a count costs changes with their number");
    if (!line->straight_p)
      found_.lines.push_back("too few visits to tell whether it is a straight line");
    if (counts.outside > 0)
      say(fmt::format("{} such lines lie in no visit to {}", counts.outside, state));
    if (counts.without > 0)
      say(fmt::format("{} visits to {} have no such line and were left out", counts.without,
                      state));
  }

  void list_troubles() {
    study::TroubleSettings settings;
    settings.supply = asked_.supply;
    if (!asked_.limit.empty()) {
      settings.limit = option_quantity("--limit", asked_.limit, Dimension::current);
      if (!(*settings.limit > 0)) usage("--limit " + asked_.limit + ": must be above nothing");
    }
    if (!asked_.dip.empty()) {
      settings.dip = option_quantity("--dip", asked_.dip, Dimension::ratio);
      if (!(settings.dip > 0.1 && settings.dip < 0.98))
        usage("--dip " + asked_.dip + ": between 10 % and 98 % of the usual voltage");
    }
    const study::Troubles found = study::troubles_of(book_, capture_, settings);
    document_["troubles"] = study::to_json(found);
    for (const study::Trouble& t : found.all)
      found_.lines.push_back(with_prefix(t.from_s, "s", 6) + ": " + t.text);
    if (found.all.empty()) found_.lines.emplace_back("no trouble found");
    for (const std::string& what : found.unknown) say(what);
  }

  Anchor anchor() const {
    Anchor out;
    if (!asked_.log.empty()) {
      out.of = asked_.log;
    } else if (!asked_.mark.empty()) {
      out.by = Anchor::By::mark;
      out.of = asked_.mark;
    } else {
      out.by = Anchor::By::logic;
      out.rises = !asked_.rise.empty();
      out.of = out.rises ? asked_.rise : asked_.fall;
    }
    return out;
  }

  void wait() {
    const int given =
        !asked_.log.empty() + !asked_.mark.empty() + !asked_.rise.empty() + !asked_.fall.empty();
    if (given != 1)
      usage(
          "--latency STATE goes with one of --after-log, --after-mark, --after-rise, "
          "--after-fall");
    require_state(capture_, ledger_, asked_.latency);
    try {
      const Latency l = study::waits_for(book_, capture_, asked_.latency, anchor());
      document_["latency"] = formats::to_json(l);
      document_["latency"]["state"] = asked_.latency;
      found_.lines.push_back(formats::latency_sentence(asked_.latency, l));
    } catch (const std::invalid_argument& e) {
      usage(fmt::format("\"{}\": {}", anchor().of, e.what()));
    }
  }

  const LedgerParts& asked_;
  const book::Book& book_;
  const book::SplitCapture& capture_;
  const std::vector<VisitFigures>& visits_;
  const Ledger& ledger_;
  nlohmann::ordered_json& document_;
  Parts found_;
};

}  // namespace

void add_parts(CLI::App& app, LedgerParts& parts) {
  app.add_option("--visits", parts.visits, "list the visits to this state, odd ones marked");
  app.add_flag("--transitions", parts.transitions, "what followed what");
  app.add_option("--reference", parts.reference, "hold that against this capture's");
  app.add_option("--per", parts.per,
                 "charge per what log lines count: an expression with a group for the number, or "
                 "without one to count the lines");
  app.add_option("--state", parts.per_state, "in the visits to this state (where the lines are)");
  app.add_option("--latency", parts.latency, "time until this state is entered");
  app.add_option("--after-log", parts.log, "after log lines that hold this expression");
  app.add_option("--after-mark", parts.mark, "after marks that hold this expression");
  app.add_option("--after-rise", parts.rise, "after this logic line rises");
  app.add_option("--after-fall", parts.fall, "after this logic line falls");
  app.add_flag("--troubles", parts.troubles,
               "supply limit and dips, reset loops and restarts, a device that hangs");
  app.add_option("--limit", parts.limit,
                 "the supply's limit (default: the condition \"current limit\")");
  app.add_option("--supply", parts.supply, "voltage to look for dips in (default: the first)");
  app.add_option("--dip", parts.dip, "below which part of its usual voltage it dips (90 %)");
}

void require_state(const book::SplitCapture& capture, const Ledger& ledger,
                   const std::string& state) {
  const LedgerRow* row = ledger.find(state);
  if (row && row->visits > 0) return;
  std::string states;
  for (const LedgerRow& r : ledger.rows) {
    if (r.visits > 0) states += (states.empty() ? "" : ", ") + r.state;
  }
  throw Error(Failure::bad_data, "no such state", "capture " + capture.info.name,
              "it has no visit to \"" + state + "\"; it has " + states);
}

Parts find_parts(const LedgerParts& asked, const book::Book& book,
                 const book::SplitCapture& capture, const std::vector<VisitFigures>& visits,
                 const Ledger& ledger, const std::string& cycle, nlohmann::ordered_json& document) {
  const bool of_visits = !asked.visits.empty() || asked.transitions || !asked.reference.empty() ||
                         !asked.per.empty() || !asked.latency.empty() || asked.troubles;
  if (of_visits) book::require_recorded(capture.info);
  if (!asked.per_state.empty() && asked.per.empty()) usage("--state goes with --per");
  if (asked.latency.empty() && !(asked.log + asked.mark + asked.rise + asked.fall).empty())
    usage("--after-log, --after-mark, --after-rise and --after-fall go with --latency STATE");
  if (!asked.troubles && !(asked.limit + asked.supply + asked.dip).empty())
    usage("--limit, --supply and --dip go with --troubles");
  return Finding(asked, book, capture, visits, ledger, document).run(cycle);
}

void print_parts(const Parts& parts) {
  if (!parts.table.empty()) print_table(parts.table);
  for (const std::string& line : parts.lines) std::puts(line.c_str());
}

}  // namespace kuvio::cli
