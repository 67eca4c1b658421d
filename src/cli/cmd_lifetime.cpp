// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/duty.h"
#include "core/lifetime.h"
#include "core/number_text.h"
#include "core/quantity.h"
#include "formats/json_results.h"
#include "formats/life_document.h"
#include "formats/phrases.h"
#include "formats/project_files.h"

#include "command.h"
#include "study/life.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, battery, duty, discharge, reserve, margin, want, counts = "given";
  std::optional<double> capacity_mah;
};

double ratio(const std::string& option, const std::string& text) {
  const double value = option_quantity(option, text, Dimension::ratio);
  if (value < 0 || value >= 1) usage(option + " must lie between 0 and 100 %");
  return value;
}

Battery battery_of(const Options& o) {
  if (o.battery.empty() == !o.capacity_mah)
    usage("give one of --battery FILE and --capacity-mah N");
  Battery out;
  if (o.capacity_mah) {
    if (!(*o.capacity_mah > 0)) usage("--capacity-mah must be greater than zero");
    out.capacity_c = *o.capacity_mah * 3.6;
  } else {
    out = formats::read_battery(o.battery);
  }
  if (!o.reserve.empty()) out.reserve = ratio("--reserve", o.reserve);
  if (!o.margin.empty()) out.margin = ratio("--margin", o.margin);
  if (!o.discharge.empty()) {
    try {
      out.self_discharge_hz = formats::parse_self_discharge(o.discharge);
    } catch (const std::invalid_argument& e) {
      usage(std::string("--self-discharge: ") + e.what());
    }
  }
  return out;
}

void print(const formats::LifeDocument& d, const nlohmann::ordered_json& document) {
  const FieldMean& mean = d.mean;
  fmt::print("mean {}{} of {}\n", formats::bounds_mark(mean.bounds),
             with_uncertainty(mean.mean, mean.mean_u.U, "A"), mean.of);
  fmt::print("life {}{}\n", formats::life_text(d.life),
             d.life.has_chance ? ", as many rounds as were captured" : "");
  if (d.life.has_chance)
    fmt::print("  if rounds come at random at that rate: {}\n",
               formats::life_range(d.life.chance_low, d.life.chance_high));
  if (!mean.decided_by.empty()) fmt::print("  {}: a duty plan would settle it\n", mean.decided_by);
  if (!mean.single.empty()) fmt::print("  single visit: {}\n", fmt::join(mean.single, "; "));
  if (!mean.accuracy_stated) fmt::print("  accuracy not stated\n");
  if (const std::string left = formats::unnamed_text(mean.unnamed); !left.empty())
    fmt::print("  {}\n", left);
  for (const auto& s : document["shares"]) {
    if (s["share"].is_number())
      fmt::print("  {:<16} {}\n", s["state"].get<std::string>(), percent(s["share"].get<double>()));
  }
  if (!d.battery.not_used.empty())
    fmt::print("  not used yet: {}\n", fmt::join(d.battery.not_used, ", "));
  if (!d.wanted_s) return;
  const auto needed = needed_capacity(d.battery, mean.mean, *d.wanted_s, mean.once_charge);
  fmt::print("for {}: {} ({})\n", life_time(*d.wanted_s),
             needed ? with_prefix(*needed / 3600, "Ah", 4) : "no cell of this type lasts that long",
             document["verdict"].get<std::string>());
}

Outcome run(const Options& o, const Output& output) {
  formats::LifeDocument d;
  d.battery = battery_of(o);
  if (o.counts != "given" && o.counts != "chance") usage("--counts is given or chance");
  d.counts = o.counts == "chance" ? Counts::chance : Counts::given;
  if (!o.want.empty()) d.wanted_s = option_quantity("--want", o.want, Dimension::time);
  if (d.wanted_s && !(*d.wanted_s > 0)) usage("--want must be greater than zero");
  const book::Book book = open_to_read(o.book);
  const book::CaptureInfo capture = book.find(o.capture);
  std::optional<DutyPlan> plan;
  if (!o.duty.empty()) plan = formats::read_duty(o.duty);
  const study::CapturedMean mean = study::mean_of(book, capture, plan);
  say_old_edges(mean.old_edges);
  d.mean = mean.mean;
  d.life = life_interval(d.mean, d.battery);
  Outcome out;
  out.document = formats::to_json(d, explain_of(output));
  if (d.wanted_s) {
    const Verdict v = judge_life(d.life, *d.wanted_s, d.counts);
    out.status = v == Verdict::within ? 0 : v == Verdict::outside ? 1 : 2;
  }
  if (!output.json) print(d, out.document);
  return out;
}

}  // namespace

Runner add_lifetime(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--battery", o->battery, "the battery (*.battery.toml)");
  app.add_option("--capacity-mah", o->capacity_mah, "or its nominal capacity in mAh");
  app.add_option("--duty", o->duty, "the duty plan (*.duty.toml); without it as captured");
  app.add_option("--self-discharge", o->discharge, "e.g. \"1 %/y\"");
  app.add_option("--reserve", o->reserve, "charge left at cut-off, e.g. \"5 %\"");
  app.add_option("--margin", o->margin, "design margin, e.g. \"10 %\"");
  app.add_option("--want", o->want, "target lifetime, e.g. \"2 y\"");
  app.add_option(
      "--counts", o->counts,
      "given: as many rounds as were captured; chance: rounds come at random at that rate");
  return [o](const Output& output) { return run(*o, output); };
}

}  // namespace kuvio::cli
