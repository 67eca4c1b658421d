// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/life.h"

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/quantity.h"
#include "formats/phrases.h"

#include "study/pool.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::study {
namespace {

using book::DocumentKind;

/// A quantity that people noted in the book.
std::optional<double> noted(const book::Book& book, const std::string& key, Dimension dimension) {
  const auto text = book.note(0, key);
  if (!text) return std::nullopt;
  try {
    return parse_quantity(*text, dimension);
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::bad_data, "bad note", "note \"" + key + "\" of the book", e.what());
  }
}

/// Life over how often an activity comes, from a twelfth of its interval to fifty times it.
std::vector<std::pair<double, std::optional<double>>> life_curve(
    LifeBasis basis, std::size_t activity, const Ledger& ledger, int points,
    const std::function<bool()>& going_on) {
  std::vector<std::pair<double, std::optional<double>>> out;
  const double here = 1 / basis.plan.activities[activity].rate_hz;
  for (int i = 0; i < points && going_on(); ++i) {
    const double interval = here / 12 * std::pow(600.0, i / (points - 1.0));
    basis.plan.activities[activity].rate_hz = 1 / interval;
    try {
      const FieldMean mean = field_mean(basis.plan, ledger);
      out.emplace_back(interval, life_of(mean, basis.battery, basis.harvest_a).life);
    } catch (const std::domain_error&) {  // more rounds than time: no life there
    }
  }
  return out;
}

}  // namespace

LifeFigures life_of(const FieldMean& mean, const Battery& battery, double harvest_a) {
  LifeFigures out;
  out.mean = mean.mean;
  out.mean_u = mean.mean_u.U;
  out.once_charge = mean.once_charge;
  out.shares = mean.shares;
  if (!mean.missing.empty()) {
    out.trouble = "no whole visit to " + mean.missing.front() + " was captured";
    return out;
  }
  out.interval = life_interval(mean, battery, harvest_a);
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

CapturedMean mean_of(const book::Book& book, const book::CaptureInfo& capture,
                     const std::optional<DutyPlan>& plan) {
  if (!plan && !capture.split) {
    const book::ChannelInfo& channel = book::choose_channel(capture, "", book.path());
    const book::ChannelTrace trace(book, channel);
    if (trace.blocks().empty())
      throw Error(Failure::bad_data, "nothing to judge", "capture " + capture.name,
                  "it holds no samples");
    return {unsplit_mean(trace, book::basis_of(capture, channel)), {}};
  }
  const Pool one = pool(book, capture.name, {capture});
  if (!plan && capture.typed && one.ledger().time_s == 0 &&
      captured_mean(one.ledger()).shares.empty()) {
    throw Error(Failure::bad_data, "no mean", "capture " + capture.name,
                "typed readings do not say how often each state comes: give a duty plan");
  }
  if (!plan) return {captured_mean(one.ledger()), one.old_edges};
  try {
    FieldMean mean = field_mean(*plan, one.ledger());
    if (!mean.missing.empty()) {
      throw Error(Failure::bad_data, "no data for the duty plan", "capture " + capture.name,
                  "it holds no whole visit to " + mean.missing.front());
    }
    return {std::move(mean), one.old_edges};
  } catch (const std::domain_error& e) {
    throw Error(Failure::bad_data, "bad duty plan", plan->name, e.what());
  }
}

CaptureLife life_of_capture(const book::Book& book, const Ledger& ledger,
                            const LifeQuestion& question, const std::function<bool()>& going_on) {
  CaptureLife out;
  const auto own_plan = stored_duty(book);
  const auto own_battery = stored_battery(book);
  out.has_plan = own_plan.has_value();
  out.has_battery = own_battery.has_value();
  Battery usual;
  usual.name = "a cell of 1000 mAh";
  usual.capacity_c = 3600;
  usual.voltage = ledger.basis.voltage;
  out.captured = {plan_of(ledger), own_battery.value_or(usual), 0};
  out.wanted_s = question.wanted_s ? question.wanted_s : noted(book, "wanted", Dimension::time);
  const FieldMean recorded = captured_mean(ledger);
  out.as_captured = life_of(recorded, out.captured.battery);

  const auto if_plan = stored_duty(book, DocumentKind::scenario_duty);
  const auto if_battery = stored_battery(book, DocumentKind::scenario_battery);
  out.is_what_if = if_plan || if_battery;
  if (question.scenario) {
    out.scenario = *question.scenario;
  } else {
    out.scenario.plan = if_plan ? *if_plan : own_plan.value_or(out.captured.plan);
    out.scenario.battery = if_battery ? *if_battery : out.captured.battery;
    out.scenario.harvest_a = noted(book, "harvest", Dimension::current).value_or(0);
  }
  const LifeBasis& basis = out.scenario;
  try {
    // As long as nobody changed a rate, the scenario's current is the capture's own.
    const bool own_rates = !own_plan && !if_plan && !question.scenario;
    out.as_scenario = life_of(own_rates ? recorded : field_mean(basis.plan, ledger), basis.battery,
                              basis.harvest_a);
  } catch (const std::domain_error& e) {
    out.as_scenario.trouble = e.what();
  }
  if (out.wanted_s && out.as_scenario.trouble.empty())
    out.needed_c =
        needed_capacity(basis.battery, std::max(0.0, out.as_scenario.mean - basis.harvest_a),
                        *out.wanted_s, out.as_scenario.once_charge);
  if (basis.plan.activities.empty()) return out;
  out.activity = std::min(question.activity, basis.plan.activities.size() - 1);
  out.curve = life_curve(basis, out.activity, ledger, question.curve_points, going_on);
  return out;
}

std::vector<BuildLife> lives_of_builds(Pools& pools, const std::vector<std::string>& builds,
                                       const LifeBasis& scenario,
                                       const std::function<bool()>& going_on) {
  std::vector<BuildLife> out;
  for (const std::string& build : builds) {
    if (!going_on()) break;
    BuildLife one{build, {}};
    try {
      one.figures = life_of(field_mean(scenario.plan, pools.build(build).ledger()),
                            scenario.battery, scenario.harvest_a);
    } catch (const Error& e) {
      one.figures.trouble = e.why();
    } catch (const std::domain_error& e) {
      one.figures.trouble = e.what();
    }
    out.push_back(std::move(one));
  }
  return out;
}

}  // namespace kuvio::study
