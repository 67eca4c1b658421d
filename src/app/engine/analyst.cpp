// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/analyst.h"

#include "app/engine/reader.h"
#include "app/engine/trusted_files.h"
#include "core/lifetime.h"
#include "formats/budget_check.h"
#include "formats/phrases.h"
#include "formats/plan_files.h"
#include "formats/toml_file.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

namespace kuvio::app {
namespace {

constexpr int kTypicalSteps = 160, kCurvePoints = 72;

std::vector<TypicalPart> parts_of(const std::vector<book::SplitCapture>& captures,
                                  std::vector<Visits>& keep) {
  for (const book::SplitCapture& c : captures) {
    keep.push_back(visits_of(c.visits));
  }
  std::vector<TypicalPart> out;
  for (std::size_t i = 0; i < captures.size(); ++i) {
    out.push_back({captures[i].trace.get(), &keep[keep.size() - captures.size() + i]});
  }
  return out;
}

Fills fills_of(const book::SplitCapture& capture) {
  return fills_for(capture.recipe_text, visits_of(capture.visits));
}

std::string unlike_key(const std::string& a, const std::string& b) {
  return "unlike/" + a + "/" + b;
}

}  // namespace

LifeFigures life_of(const FieldMean& mean, const LifeBasis& basis) {
  LifeFigures out;
  out.mean = mean.mean;
  out.mean_u = mean.mean_u.U;
  out.once_charge = mean.once_charge;
  out.shares = mean.shares;
  if (!mean.missing.empty()) {
    out.trouble = "no whole visit to " + mean.missing.front() + " was captured";
    return out;
  }
  out.interval = life_interval(mean, basis.battery, basis.harvest_a);
  out.life = out.interval.life;
  out.low = out.interval.low;
  out.high = out.interval.high;
  if (out.interval.has_chance)
    out.remarks.push_back("if rounds come at random: " +
                          formats::life_range(out.interval.chance_low, out.interval.chance_high));
  if (!mean.decided_by.empty()) out.remarks.push_back(mean.decided_by);
  if (!mean.unnamed.empty()) out.remarks.push_back(formats::unnamed_text(mean.unnamed));
  if (!mean.accuracy_stated) out.remarks.emplace_back("accuracy not stated");
  if (!out.life) out.trouble = "the mean current is zero: no lifetime";
  return out;
}

Analyst::Analyst(const QString& path)
    : book_(book::Book::open(path.toStdString(), book::Book::Mode::read)) {}

/// Once for each question: what `loaded` gave is held until its answer is there, whoever writes to
/// the book meanwhile.
void Analyst::forget_what_changed() {
  if (const auto version = book_.data_version(); version != version_) {
    loaded_.clear();
    version_ = version;
  }
}

const std::vector<book::SplitCapture>& Analyst::loaded(const std::string& build) {
  const auto it = loaded_.find(build);
  if (it != loaded_.end()) return it->second;
  std::vector<book::SplitCapture> captures;
  for (const book::CaptureInfo& info : book::captures_of_build(book_, build)) {
    if (info.split) captures.push_back(book::load_split(book_, info));
  }
  if (captures.empty()) {
    throw Error(Failure::bad_data, "not split into states", "build " + build,
                "split a capture of it on the Trace desk first");
  }
  return loaded_[build] = std::move(captures);
}

std::optional<DutyPlan> Analyst::plan(DocumentKind kind) const {
  const auto document = book::document(book_, kind);
  if (!document) return std::nullopt;
  return formats::parse_duty(document->text, document->name);
}

std::optional<Battery> Analyst::battery(DocumentKind kind) const {
  const auto document = book::document(book_, kind);
  if (!document) return std::nullopt;
  return formats::parse_battery(document->text, document->name);
}

BuildsViewPtr Analyst::builds(const BuildsRequest& request, const std::stop_token& stop) {
  auto out = std::make_shared<BuildsView>();
  out->reference = request.reference;
  out->candidate = request.candidate;
  try {
    forget_what_changed();
    const auto& reference = loaded(request.reference);
    const auto& candidate = loaded(request.candidate);
    if (stop.stop_requested()) return out;
    out->reference_captures = reference.size();
    out->candidate_captures = candidate.size();
    out->fills = fills_of(reference.front());
    for (const auto* side : {&reference, &candidate}) {
      for (const std::string& line : formats::old_edges_texts(*side))
        out->old_edges.push_back(line);
    }
    CompareSettings settings;
    settings.equal_within = request.equal_within;
    settings.duty = plan(DocumentKind::duty);
    const Side a{request.reference, book::pooled_ledger(reference),
                 book::pooled_conditions(reference)};
    const Side b{request.candidate, book::pooled_ledger(candidate),
                 book::pooled_conditions(candidate)};
    out->comparison = compare(a, b, settings);
    // A plan that asks for states one side never was in says nothing: the captures do.
    if (!out->comparison.missing.empty()) {
      settings.duty.reset();
      out->comparison = compare(a, b, settings);
    }
    out->field = out->comparison.field;
    out->accepted = book_.note(0, unlike_key(request.reference, request.candidate)).value_or("");
    const auto cell = battery(DocumentKind::battery);
    if (!cell || !out->comparison.reference_mean || !out->comparison.candidate_mean) return out;
    const LifeBasis basis{{}, *cell, 0};
    const auto figures = [&](const Ledger& ledger) {
      return life_of(out->field ? field_mean(*settings.duty, ledger) : captured_mean(ledger),
                     basis);
    };
    out->reference_life = figures(a.ledger);
    out->candidate_life = figures(b.ledger);
    const double mean = *out->comparison.reference_mean;
    const auto before = kuvio::life(*cell, mean, out->reference_life->once_charge);
    for (const CompareRow& row : out->comparison.rows) {
      const auto after =
          kuvio::life(*cell, std::max(0.0, mean + row.bridge), out->reference_life->once_charge);
      out->life_change.push_back(before && after ? std::optional(*after - *before) : std::nullopt);
    }
  } catch (const Error& e) {
    out->trouble = e.where() + ": " + e.why();
  } catch (const std::domain_error& e) {
    out->trouble = std::string("duty plan: ") + e.what();
  }
  return out;
}

TypicalViewPtr Analyst::typical(const TypicalRequest& request, const std::stop_token& stop) {
  auto out = std::make_shared<TypicalView>();
  out->state = request.state;
  out->reference = request.reference;
  out->candidate = request.candidate;
  try {
    forget_what_changed();
    const auto& reference = loaded(request.reference);
    const auto& candidate = loaded(request.candidate);
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
    const auto give_up = [&] { return stop.stop_requested(); };
    out->reference_visit = typical_visit(a, request.state, step, 200, give_up);
    out->candidate_visit = typical_visit(b, request.state, step, 200, give_up);
  } catch (const Error&) {  // known from the comparison
  }
  return out;
}

std::string Analyst::find_file(DocumentKind kind, const std::string& name,
                               const std::string& beside) const {
  const auto document = book::document(book_, kind);
  if (document && document->name == name) return document->text;
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

BudgetViewPtr Analyst::budget(const std::stop_token& stop) {
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
    if (stop.stop_requested()) return out;
    try {
      out->results.push_back(formats::check_build(book_, *out->budget, *recipe, build));
      out->troubles.emplace_back();
    } catch (const Error& e) {
      out->results.emplace_back();
      out->troubles.push_back(e.where() + ": " + e.why());
    }
  }
  return out;
}

LifeViewPtr Analyst::life(const LifeRequest& request, const std::stop_token& stop) {
  auto out = std::make_shared<LifeView>();
  out->wanted_s = request.wanted_s;
  out->activity = request.activity;
  try {
    const book::CaptureInfo info = book_.capture(request.capture);
    out->build = info.build.empty() ? info.name : info.build;
    std::vector<book::SplitCapture> one;
    one.push_back(book::load_split(book_, info));
    const book::SplitCapture& capture = one.front();
    out->old_edges = formats::old_edges_texts(one);
    const Ledger ledger = book::pooled_ledger(one);
    out->fills = fills_of(capture);
    const auto own_plan = plan(DocumentKind::duty);
    const auto own_battery = battery(DocumentKind::battery);
    out->has_plan = own_plan.has_value();
    out->has_battery = own_battery.has_value();
    out->captured.plan = plan_of(ledger);
    Battery usual;
    usual.name = "a cell of 1000 mAh";
    usual.capacity_c = 3600;
    usual.voltage = ledger.basis.voltage;
    out->captured.battery = own_battery.value_or(usual);
    if (const auto text = book_.note(0, "wanted"); text && !out->wanted_s)
      out->wanted_s = parse_quantity(*text, Dimension::time);
    const FieldMean recorded = captured_mean(ledger);
    out->as_captured = life_of(recorded, out->captured);
    const auto if_plan = plan(DocumentKind::scenario_duty);
    const auto if_battery = battery(DocumentKind::scenario_battery);
    out->is_what_if = if_plan || if_battery;
    out->scenario = request.scenario.value_or(LifeBasis{if_plan    ? *if_plan
                                                        : own_plan ? *own_plan
                                                                   : out->captured.plan,
                                                        if_battery    ? *if_battery
                                                        : own_battery ? *own_battery
                                                                      : usual,
                                                        0});
    if (const auto text = book_.note(0, "harvest"); text && !request.scenario)
      out->scenario.harvest_a = parse_quantity(*text, Dimension::current);
    try {
      // As long as nobody changed a rate, the scenario's current is the capture's own.
      const bool own_rates = !own_plan && !if_plan && !request.scenario;
      out->as_scenario =
          life_of(own_rates ? recorded : field_mean(out->scenario.plan, ledger), out->scenario);
    } catch (const std::domain_error& e) {
      out->as_scenario.trouble = e.what();
    }
    if (out->wanted_s && out->as_scenario.trouble.empty()) {
      out->needed_c = needed_capacity(
          out->scenario.battery, std::max(0.0, out->as_scenario.mean - out->scenario.harvest_a),
          *out->wanted_s, out->as_scenario.once_charge);
    }
    auto& activities = out->scenario.plan.activities;
    if (activities.empty()) return out;
    out->activity = std::min(request.activity, activities.size() - 1);
    const double here = 1 / activities[out->activity].rate_hz;
    LifeBasis basis = out->scenario;
    for (int i = 0; i < kCurvePoints && !stop.stop_requested(); ++i) {
      const double interval = here / 12 * std::pow(600.0, i / (kCurvePoints - 1.0));
      basis.plan.activities[out->activity].rate_hz = 1 / interval;
      std::optional<double> years;
      try {
        years = life_of(field_mean(basis.plan, ledger), basis).life;
      } catch (const std::domain_error&) {  // more rounds than time: no life there
        continue;
      }
      out->curve.emplace_back(interval, years);
    }
  } catch (const Error& e) {
    out->trouble = e.where() + ": " + e.why();
  } catch (const std::invalid_argument& e) {
    out->trouble = std::string("a note of the book: ") + e.what();
  }
  return out;
}

std::string Analyst::budget_from(std::int64_t capture) {
  const book::CaptureInfo info = book_.capture(capture);
  std::vector<book::SplitCapture> one;
  one.push_back(book::load_split(book_, info));
  const Ledger ledger = book::pooled_ledger(one);
  const auto recipe = book::document(book_, DocumentKind::recipe);
  const auto duty = book::document(book_, DocumentKind::duty);
  const auto battery = book::document(book_, DocumentKind::battery);
  std::string out = "kuvio = \"budget/1\"\nname = \"Limits from " +
                    (info.build.empty() ? info.name : info.build) + "\"\n";
  if (ledger.basis.voltage > 0)
    out += "supply = \"" + formats::quantity_text(ledger.basis.voltage, Dimension::voltage, 4) +
           "\"\n";
  out += "recipe = \"" + (recipe ? recipe->name : "states.recipe.toml") + "\"\n";
  // Two digits are as many as a limit set by eye has; a tenth of room on top.
  const auto room = [](double v) {
    const double u = v * 1.1, grain = std::pow(10.0, std::floor(std::log10(u)) - 1);
    return std::ceil(u / grain - 1e-9) * grain;
  };
  const LedgerRow* rest = ledger.longest();
  for (const LedgerRow& row : ledger.rows) {
    if (is_built_in_state(row.state) || row.visits == 0 || !row.mean || !(*row.mean > 0)) continue;
    Limit limit;
    limit.scope = Scope::state;
    limit.state = row.state;
    if (&row == rest || row.whole_visits == 0) {
      limit.quantity = LimitQuantity::mean_current;
      limit.expect = *row.mean;
    } else {
      limit.quantity = LimitQuantity::charge_per_visit;
      limit.expect = row.charge_per_visit.mean;
    }
    limit.max = room(*limit.expect);
    out += "\n" + formats::limit_block(limit, "", "");
  }
  if (duty && battery) {
    Limit limit;
    limit.scope = Scope::field;
    limit.quantity = LimitQuantity::lifetime;
    limit.min = 2 * 365.25 * 86400;
    out += "\n" + formats::limit_block(limit, duty->name, battery->name);
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
    trace = std::make_unique<book::ChannelTrace>(book_, book::main_current(info, book_.path()));
  }
  return *trace;
}

SpreadViewPtr Analyst::spread(const SpreadRequest& request, const std::function<bool()>& going_on) {
  const book::ChannelTrace& trace = current(request.capture);
  const SpreadViewPtr view = spread_of(trace, request, std::int64_t{1} << 60, going_on);
  if (!view || !view->final) return nullptr;
  auto out = std::make_shared<SpreadView>(*view);
  out->ripple = ripple(trace, request.from_s, request.to_s);
  return out;
}

LineUp Analyst::lineUp(std::int64_t reference, std::int64_t other, const std::stop_token& stop) {
  const book::ChannelTrace& a = current(reference);
  const book::ChannelTrace& b = current(other);
  return line_up(a, b, 0.3, [&] { return !stop.stop_requested(); });
}

}  // namespace kuvio::app
