// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/duty.h"
#include "core/lifetime.h"
#include "core/present.h"
#include "core/quantity.h"
#include "formats/plan_files.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, capture, battery, duty, discharge, reserve, margin, want;
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
    if (!(*o.capacity_mah > 0)) usage("--capacity-mah must be more than nothing");
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

Outcome run(const Options& o, bool json) {
  const Battery battery = battery_of(o);
  const std::optional<double> want =
      o.want.empty() ? std::nullopt
                     : std::optional(option_quantity("--want", o.want, Dimension::time));
  if (want && !(*want > 0)) usage("--want must be more than nothing");
  const book::Book book = book::Book::open(o.book, book::Book::Mode::read);
  std::vector<book::SplitCapture> captures;
  captures.push_back(book::load_split(book, book.find(o.capture)));
  const Ledger ledger = book::pooled_ledger(captures);
  FieldMean mean;
  if (o.duty.empty()) {
    mean = captured_mean(*captures.front().trace, captures.front().visits, ledger);
  } else {
    try {
      mean = field_mean(formats::read_duty(o.duty), ledger);
    } catch (const std::domain_error& e) {
      throw Error(Failure::bad_data, "bad duty plan", o.duty, e.what());
    }
  }
  if (!mean.missing.empty()) {
    throw Error(Failure::bad_data, "no data for the duty plan",
                "capture " + captures.front().info.name,
                "it holds no whole visit to " + mean.missing.front());
  }
  const auto middle = life(battery, mean.mean, mean.once_charge);
  const auto low = life(battery, mean.mean + mean.mean_u.U, mean.once_charge);
  const auto high = life(battery, mean.mean - mean.mean_u.U, mean.once_charge);
  const auto or_null = [](const std::optional<double>& v) {
    return v ? nlohmann::ordered_json(*v) : nlohmann::ordered_json(nullptr);
  };

  Outcome out;
  nlohmann::ordered_json shares = nlohmann::ordered_json::array();
  const double usable = battery.usable_c();
  for (const Share& s : mean.shares) {
    shares.push_back(
        {{"state", s.state},
         {"share", middle && usable > 0 ? nlohmann::ordered_json(s.current * *middle / usable)
                                        : nlohmann::ordered_json(nullptr)}});
  }
  if (middle && usable > 0) {
    if (mean.once_charge > 0)
      shares.push_back({{"state", "once"}, {"share", mean.once_charge / usable}});
    const double left = 1 - (mean.mean * *middle + mean.once_charge) / usable;
    if (battery.self_discharge_hz > 0)
      shares.push_back({{"state", "self-discharge"}, {"share", left}});
  }
  out.document = {
      {"mean_a", mean.mean},
      {"mean_u_a", mean.mean_u.U},
      {"usable_c", usable},
      {"life_s", or_null(middle)},
      {"life_low_s", or_null(low)},
      {"life_high_s", or_null(high)},
      {"shares", shares},
      {"needed_c", want ? or_null(needed_capacity(battery, mean.mean, *want, mean.once_charge))
                        : nlohmann::ordered_json(nullptr)},
      {"single_visit", mean.single_visit},
      {"lower_bound", mean.lower_bound || ledger.lower_bound}};
  if (want && middle && low) {
    const double surest = ledger.lower_bound ? 0 : *low;
    const Verdict v = judge_lower(surest, high.value_or(1e300), *want);
    out.status = v == Verdict::within ? 0 : v == Verdict::over ? 1 : 2;
    out.document["verdict"] = v == Verdict::over     ? "missed"
                              : v == Verdict::within ? "met"
                                                     : "too close";
  }
  if (!json) {
    fmt::print("mean {}  life {} ({} … {})\n", with_uncertainty(mean.mean, mean.mean_u.U, "A"),
               middle ? life_time(*middle) : "without end", low ? life_time(*low) : "–",
               high ? life_time(*high) : "without end");
    for (const auto& s : shares) {
      if (s["share"].is_number())
        fmt::print("  {:<16} {}\n", s["state"].get<std::string>(),
                   percent(s["share"].get<double>()));
    }
    if (want) {
      const auto needed = needed_capacity(battery, mean.mean, *want, mean.once_charge);
      fmt::print("for {}: {}\n", life_time(*want),
                 needed ? with_prefix(*needed / 3600, "Ah", 4) : "no cell of this kind can");
    }
  }
  return out;
}

}  // namespace

Runner add_lifetime(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("--battery", o->battery, "the battery (*.battery.toml)");
  app.add_option("--capacity-mah", o->capacity_mah, "or its nominal charge in mAh");
  app.add_option("--duty", o->duty, "the duty plan (*.duty.toml); without it as captured");
  app.add_option("--self-discharge", o->discharge, "as in \"1 %/y\"");
  app.add_option("--reserve", o->reserve, "share left when the device stops, as in \"5 %\"");
  app.add_option("--margin", o->margin, "safety margin, as in \"10 %\"");
  app.add_option("--want", o->want, "wanted life, as in \"2 y\"");
  return [o](bool json) { return run(*o, json); };
}

}  // namespace kuvio::cli
