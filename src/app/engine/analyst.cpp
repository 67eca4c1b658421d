// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/analyst.h"

#include "app/engine/account_views.h"
#include "app/engine/desk_views.h"
#include "app/engine/fills.h"
#include "app/engine/reader.h"
#include "app/engine/spread.h"
#include "app/engine/trace_views.h"
#include "app/engine/trusted_files.h"
#include "book/channel_trace.h"
#include "core/error.h"
#include "formats/project_files.h"
#include "formats/toml_file.h"

#include "study/budget_check.h"
#include "study/other_ledger.h"
#include "study/recipe_fit_remarks.h"
#include "study/waits.h"

#include <algorithm>
#include <filesystem>

namespace kuvio::app {
namespace {

constexpr int kTypicalSteps = 160;

std::vector<TypicalPart> parts_of(const std::vector<book::SplitCapture>& captures,
                                  std::vector<Visits>& keep) {
  for (const book::SplitCapture& c : captures) {
    keep.push_back(visits_of(c.visits));
  }
  std::vector<TypicalPart> out;
  for (std::size_t i = 0; i < captures.size(); ++i) {
    if (!captures[i].trace) continue;  // typed
    out.push_back({captures[i].trace.get(), &keep[keep.size() - captures.size() + i]});
  }
  return out;
}

Fills fills_of(const book::SplitCapture& capture) {
  if (capture.info.typed) return fills_for(capture.typed);
  return fills_for(capture.recipe_text, visits_of(capture.visits));
}

std::string unlike_key(const std::string& a, const std::string& b) {
  return "unlike/" + a + "/" + b;
}

}  // namespace

Analyst::Analyst(const QString& path)
    : book_(book::Book::open(path.toStdString(), book::Book::Mode::read)) {}

Analyst::~Analyst() = default;

BuildsViewPtr Analyst::builds(const BuildsRequest& request, const GoingOn& going_on) {
  auto out = std::make_shared<BuildsView>();
  out->reference = request.reference;
  out->candidate = request.candidate;
  try {
    pools_.refresh();
    const study::Pool& reference = pools_.build(request.reference);
    const study::Pool& candidate = pools_.build(request.candidate);
    if (!going_on()) return out;
    out->fills = fills_of(reference.captures.front());
    CompareSettings settings;
    settings.equal_within = request.equal_within;
    settings.duty = study::stored_duty(book_);
    static_cast<study::BuildComparison&>(*out) =
        study::compare_builds(reference, candidate, settings, study::stored_battery(book_));
    out->accepted = book_.note(0, unlike_key(request.reference, request.candidate)).value_or("");
  } catch (const Error& e) {
    out->trouble = e.where() + ": " + e.why();
  }
  return out;
}

TypicalViewPtr Analyst::typical(const TypicalRequest& request, const GoingOn& going_on) {
  auto out = std::make_shared<TypicalView>();
  out->state = request.state;
  out->reference = request.reference;
  out->candidate = request.candidate;
  try {
    pools_.refresh();
    const auto& reference = pools_.build(request.reference).captures;
    const auto& candidate = pools_.build(request.candidate).captures;
    std::vector<Visits> keep;
    keep.reserve(reference.size() + candidate.size());
    const auto a = parts_of(reference, keep);
    const auto b = parts_of(candidate, keep);
    std::vector<TypicalPart> both = a;
    both.insert(both.end(), b.begin(), b.end());
    const double sample =
        std::max(reference.front().basis().sample_s, candidate.front().basis().sample_s);
    const double step = typical_step(both, request.state, sample, kTypicalSteps);
    if (!(step > 0)) return out;
    const auto give_up = [&] { return !going_on(); };
    out->reference_visit = typical_visit(a, request.state, step, 200, give_up);
    out->candidate_visit = typical_visit(b, request.state, step, 200, give_up);
  } catch (const Error&) {  // known from the comparison
  }
  return out;
}

WaysViewPtr Analyst::ways(const std::string& build, const GoingOn& /*going_on*/) {
  auto out = std::make_shared<WaysView>();
  out->build = build;
  try {
    pools_.refresh();
    std::vector<Visits> visits;
    for (const book::SplitCapture& c : pools_.build(build).captures) {
      if (!c.info.typed) visits.push_back(visits_of(c.visits));
    }
    std::vector<const Visits*> all;
    for (const Visits& v : visits) all.push_back(&v);
    out->captures = all.size();
    out->ways = transitions_of(all);
  } catch (const Error&) {  // not split yet: there is nothing to hold others against
  }
  return out;
}

FitViewPtr Analyst::fit(std::int64_t capture, const GoingOn& /*going_on*/) {
  auto out = std::make_shared<FitView>();
  out->capture = capture;
  try {
    out->remarks = study::fit_remarks(book_, book::load_split(book_, book_.capture(capture)));
  } catch (const Error&) {  // not split: the recipe's page says that
  }
  return out;
}

TroublesViewPtr Analyst::troubles(std::int64_t capture, const GoingOn& /*going_on*/) {
  auto out = std::make_shared<TroublesView>();
  out->capture = capture;
  try {
    out->found = study::troubles_of(book_, book::load_split(book_, book_.capture(capture)));
  } catch (const Error& e) {
    out->error = e.what();
  }
  return out;
}

WaitsViewPtr Analyst::waits(const WaitsRequest& request, const GoingOn& /*going_on*/) {
  auto out = std::make_shared<WaitsView>();
  out->asked = request;
  try {
    out->latency = study::waits_for(book_, book::load_split(book_, book_.capture(request.capture)),
                                    request.state, request.from);
  } catch (const std::exception& e) {  // Error, or no expression
    out->error = e.what();
  }
  return out;
}

LedgerViewPtr Analyst::ledger(const LedgerRequest& request, const GoingOn& /*going_on*/) {
  auto out = std::make_shared<LedgerView>();
  out->asked = request;
  try {
    out->ledger = study::ledger_on(book_, book::load_split(book_, book_.capture(request.capture)),
                                   request.channel)
                      .ledger;
  } catch (const Error& e) {
    out->error = e.what();
  }
  return out;
}

std::string Analyst::find_file(DocumentKind kind, const std::string& name,
                               const std::string& beside) const {
  if (const auto document = book::document(book_, kind, name)) return document->text;
  if (beside.empty()) {
    throw Error(Failure::no_input, "no such file", name,
                "the budget refers to it, but the book does not contain it");
  }
  const std::string file =
      (std::filesystem::path(beside).parent_path() / std::filesystem::path(name).filename())
          .string();
  if (!may_read(QString::fromStdString(file), QString::fromStdString(book_.path()))) {
    throw Error(
        Failure::no_input, "no such file", name,
        "the book does not hold it, and " + file + " is not read for it: open it here first");
  }
  return formats::read_text_file(file);
}

BudgetViewPtr Analyst::budget(const GoingOn& going_on) {
  auto out = std::make_shared<BudgetView>();
  out->builds = book_.builds();
  const auto document = book::document(book_, DocumentKind::budget);
  if (!document) return out;
  out->text = document->text;
  out->not_looked_at = !document->path.empty() && !may_read(QString::fromStdString(document->path),
                                                            QString::fromStdString(book_.path()));
  if (!document->path.empty() && !out->not_looked_at) {
    try {
      const std::string now = formats::read_text_file(document->path);
      if (now != document->saved) out->on_disk = now;
    } catch (const Error&) {  // the file went; the book's copy stays
    }
  }
  std::optional<formats::RecipeFile> recipe;
  try {
    const auto find = [&](DocumentKind kind, const std::string& name) {
      return find_file(kind, name, document->path);
    };
    auto budget =
        std::make_shared<Budget>(formats::parse_budget(document->text, document->name, find));
    recipe = formats::parse_recipe(
        find(DocumentKind::recipe, std::filesystem::path(budget->recipe_file).filename().string()),
        budget->recipe_file);
    for (const StateRule& rule : recipe->recipe.states) out->states.push_back(rule.name);
    out->budget = budget;
  } catch (const Error& e) {
    out->error = e.where() + ": " + e.why();
    return out;
  }
  for (const std::string& build : out->builds) {
    if (!going_on()) return out;
    try {
      out->results.push_back(study::check_build(book_, *out->budget, *recipe, build));
      out->troubles.emplace_back();
    } catch (const Error& e) {
      out->results.emplace_back();
      out->troubles.push_back(e.where() + ": " + e.why());
    }
  }
  return out;
}

LifeViewPtr Analyst::life(const LifeRequest& request, const GoingOn& going_on) {
  auto out = std::make_shared<LifeView>();
  out->wanted_s = request.question.wanted_s;
  out->activity = request.question.activity;
  try {
    const book::CaptureInfo info = book_.capture(request.capture);
    out->build = info.build.empty() ? info.name : info.build;
    const study::Pool one = study::pool(book_, info.name, {info});
    out->old_edges = one.old_edges;
    out->fills = fills_of(one.captures.front());
    static_cast<study::CaptureLife&>(*out) =
        study::life_of_capture(book_, one.ledger(), request.question, going_on);
    pools_.refresh();
    out->builds = study::lives_of_builds(pools_, book_.builds(), out->scenario, going_on);
  } catch (const Error& e) {
    out->trouble = e.where() + ": " + e.why();
  }
  return out;
}

/// Opened once as long as the book stays as it is.
const book::ChannelTrace& Analyst::current(std::int64_t capture) {
  const auto version = book_.data_version();
  if (version != currents_version_ || currents_.size() > 4) currents_.clear();
  currents_version_ = version;
  auto& trace = currents_[capture];
  if (!trace) {
    const book::CaptureInfo info = book_.capture(capture);
    trace = std::make_unique<book::ChannelTrace>(book_, book::shown_channel(info, book_.path()));
  }
  return *trace;
}

SpreadViewPtr Analyst::spread(const SpreadRequest& request, const GoingOn& going_on) {
  const book::ChannelTrace& trace = current(request.capture);
  const SpreadViewPtr view = spread_of(trace, request, std::int64_t{1} << 60, going_on);
  if (!view || !view->final) return nullptr;
  auto out = std::make_shared<SpreadView>(*view);
  out->ripple = ripple(trace, request.from_s, request.to_s);
  return out;
}

LineUp Analyst::lineUp(std::int64_t reference, std::int64_t other, const GoingOn& going_on) {
  const book::ChannelTrace& a = current(reference);
  const book::ChannelTrace& b = current(other);
  return line_up(a, b, kLeastOverlap, going_on);
}

}  // namespace kuvio::app
