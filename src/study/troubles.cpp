// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/troubles.h"

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/hangs.h"
#include "core/limited_stretches.h"
#include "core/log_names.h"
#include "core/number_text.h"
#include "core/quantity.h"
#include "core/supply_dips.h"
#include "formats/json_number.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <re2/re2.h>

#include <algorithm>
#include <array>
#include <map>
#include <stdexcept>

namespace kuvio::study {
namespace {

/// What says that a device begins anew. Not "reset" and "watchdog" by themselves, which devices
/// write of counters and timers.
bool speaks_of_start(const std::string& text) {
  static const re2::RE2 pattern(
      R"((?i)\b(re)?boot(s|ed|ing)?\b|\bboot[- ]?up\b|\bre-?start(s|ed|ing)?\b|)"
      R"(\breset (reason|cause|by|after)\b|\bpower(ed)?[- ]?(on|up)\b|\bcold start|\bstart(ing)?[- ]?up\b)");
  return re2::RE2::PartialMatch(text, pattern);
}

/// Events by which somebody starts a device, wakes it, or takes its power.
bool is_switching(EventKind kind) { return info(kind).what == EventClass::switching; }

class Search {
public:
  Search(const book::Book& book, const book::SplitCapture& capture, const TroubleSettings& settings)
      : book_(book),
        capture_(capture),
        settings_(settings),
        visits_(visits_of(capture.visits)),
        events_(book.events(capture.info.id)) {}

  Troubles run() {
    for (const Event& e : events_) {
      if (info(e.kind).what != EventClass::trouble) continue;
      add({Trouble::Kind::recorded, e.earliest_s, e.latest_s, "",
           e.text.empty() ? event_text(e.kind, "", "") : e.text});
    }
    look_for_limit();
    look_for_dips();
    look_at_log();
    std::stable_sort(found_.all.begin(), found_.all.end(),
                     [](const Trouble& a, const Trouble& b) { return a.from_s < b.from_s; });
    return std::move(found_);
  }

private:
  const Visit* visit_at(double at_s) const {
    const auto after = std::upper_bound(visits_.begin(), visits_.end(), at_s,
                                        [](double t, const Visit& v) { return t < v.from_s; });
    if (after == visits_.begin()) return nullptr;
    const Visit& v = *std::prev(after);
    return at_s <= v.to_s ? &v : nullptr;
  }
  void add(Trouble trouble) {
    if (const Visit* v = visit_at(trouble.from_s)) trouble.state = v->state;
    found_.all.push_back(std::move(trouble));
  }
  bool recorded(EventKind kind) const {
    return std::any_of(events_.begin(), events_.end(),
                       [&](const Event& e) { return e.kind == kind; });
  }
  static std::string in_state(const Visit* visit) {
    return visit && !is_built_in_state(visit->state) ? " in " + visit->state : std::string();
  }

  void add_loop(const ResetLoop& loop, const std::string& by) {
    Trouble t{Trouble::Kind::reset_loop, loop.from_s, loop.to_s(), "",
              fmt::format("reset loop: {} starts, one every {} ({})", loop.rounds,
                          duration(loop.period_s), by)};
    t.rounds = loop.rounds;
    t.period_s = loop.period_s;
    add(std::move(t));
  }

  std::optional<double> limit() {
    if (settings_.limit) return settings_.limit;
    const auto it = capture_.info.conditions.find("current limit");
    if (it == capture_.info.conditions.end()) {
      if (!recorded(EventKind::current_limited))
        found_.unknown.push_back(
            "no limit of the supply is known: whether it was reached cannot be told (the condition "
            "\"current limit\" states it)");
      return std::nullopt;
    }
    try {
      const double limit = parse_quantity(it->second, Dimension::current);
      if (limit > 0) return limit;
      found_.unknown.push_back("the condition \"current limit\" is not above nothing");
    } catch (const std::invalid_argument& e) {
      found_.unknown.push_back(fmt::format("the condition \"current limit\": {}", e.what()));
    }
    return std::nullopt;
  }

  void look_for_limit() {
    if (capture_.channel.quantity != Quantity::current) return;
    found_.limit_a = limit();
    if (!found_.limit_a || recorded(EventKind::current_limited)) return;
    constexpr double kOver = 1.05;  // more than any supply's limit is off
    LimitedTrace limited = limited_in(*capture_.trace, *found_.limit_a);
    double over_s = 0;
    std::erase_if(limited.stretches, [&](const LimitedStretch& s) {
      if (s.mean <= kOver * *found_.limit_a) return false;
      over_s += s.to_s - s.from_s;
      return true;
    });
    if (over_s > 0)
      found_.unknown.push_back(
          fmt::format("for {} the current is over the limit of {}: it was not in force then",
                      duration(over_s), with_prefix(*found_.limit_a, "A")));
    std::vector<DeviceStart> starts;
    for (const double at : limited.rounds) starts.push_back({at, false});
    const std::vector<ResetLoop> loops = loops_among(starts);
    for (const ResetLoop& loop : loops) add_loop(loop, "each time at the limit");
    std::vector<Trouble> rows;
    for (const LimitedStretch& s : limited.stretches) {
      const bool in_loop =
          !rows.empty() && std::any_of(loops.begin(), loops.end(), [&](const ResetLoop& l) {
            return l.from_s <= rows.back().to_s && s.from_s <= l.to_s() + 1e-9;
          });
      Trouble t{Trouble::Kind::limited, s.from_s, s.to_s};
      t.length_s = s.to_s - s.from_s;
      put_among(rows, std::move(t), in_loop);
    }
    for (Trouble& t : rows) {
      t.text =
          fmt::format("held at the supply's limit of {} {}{}", with_prefix(*found_.limit_a, "A"),
                      how_long(t), in_state(visit_at(t.from_s)));
      add(std::move(t));
    }
  }

  /// What follows closely on the last is counted with it.
  static void put_among(std::vector<Trouble>& rows, Trouble next, bool as_one) {
    constexpr double kSoon = 1;  // s
    if (rows.empty() || !(as_one || next.from_s - rows.back().to_s < kSoon))
      return rows.push_back(std::move(next));
    Trouble& last = rows.back();
    last.to_s = next.to_s;
    last.times += next.times;
    last.length_s += next.length_s;
    if (next.lowest_v)
      last.lowest_v = std::min(*next.lowest_v, last.lowest_v.value_or(*next.lowest_v));
    last.recovers = next.recovers;
  }
  static std::string how_long(const Trouble& t) {
    return t.times == 1 ? "for " + duration(t.length_s)
                        : fmt::format("{} times until {}, {} in all", t.times,
                                      with_prefix(t.to_s, "s", 6), duration(t.length_s));
  }

  const book::ChannelInfo* supply() const {
    for (const book::ChannelInfo& c : capture_.info.channels) {
      if (c.quantity != Quantity::voltage || !c.sampled()) continue;
      if (settings_.supply.empty() ? c.derived.empty() : c.name == settings_.supply) return &c;
    }
    if (!settings_.supply.empty())
      throw Error(Failure::usage, "no such voltage", "capture " + capture_.info.name,
                  "it has no voltage called \"" + settings_.supply + "\"");
    return nullptr;
  }

  void look_for_dips() {
    const book::ChannelInfo* channel = supply();
    if (!channel) {
      found_.unknown.push_back("no voltage was captured: supply dips cannot be told");
      return;
    }
    const book::ChannelTrace voltage(book_, *channel);
    DipRule rule{usual_voltage(voltage)};
    if (!(rule.usual > 0)) return;
    rule.below = settings_.dip;
    rule.back = settings_.dip + 0.02;
    std::vector<SupplyDip> dips = supply_dips(voltage, rule);
    std::vector<const Visit*> off;
    for (const Visit& v : visits_) {
      if (v.state == kOff) off.push_back(&v);
    }
    std::erase_if(dips, [&](const SupplyDip& d) {
      if (!d.begins && d.from_s <= voltage.from_s()) return true;  // on its way up as it begins
      return std::any_of(off.begin(), off.end(), [&](const Visit* v) {
        return v->from_s <= d.to_s && d.from_s <= v->to_s;
      });
    });
    double low = 0;
    for (const SupplyDip& d : dips) low += d.length_s();
    // What is low for a fifth of the time is no supply, or a battery that goes empty.
    if (low > 0.2 * (voltage.to_s() - voltage.from_s())) {
      found_.unknown.push_back(fmt::format(
          "{} is under {} of its usual {} for {} of the time: no supply in which dips stand out",
          channel->name, percent(rule.below), with_prefix(rule.usual, "V"),
          percent(low / (voltage.to_s() - voltage.from_s()))));
      return;
    }
    found_.supply = channel->name;
    found_.usual_v = rule.usual;
    found_.dip_v = rule.below * rule.usual;
    std::vector<Trouble> rows;
    for (const SupplyDip& d : dips) {
      Trouble t{Trouble::Kind::dip, d.from_s, d.to_s};
      t.length_s = d.length_s();
      t.lowest_v = d.lowest;
      t.recovers = d.recovers;
      put_among(rows, std::move(t), false);
    }
    for (Trouble& t : rows) {
      const std::string in = in_state(visit_at(t.from_s));
      t.text = *t.lowest_v < rule.nothing * rule.usual
                   ? fmt::format("{} gone {}{}", channel->name, how_long(t), in)
                   : fmt::format("{} dips from {} to {} {}{}", channel->name,
                                 with_prefix(rule.usual, "V"), with_prefix(*t.lowest_v, "V"),
                                 how_long(t), in);
      if (!t.recovers) t.text += ", and is not seen to come back";
      add(std::move(t));
    }
  }

  /// When the device started, by the kind of line that tells most of its starts, else by states.
  std::vector<double> starts(const std::vector<book::LogLine>& log, std::string& by) const {
    std::map<std::string, std::vector<double>> kinds;
    for (const book::LogLine& line : log) {
      if (!line.sent && speaks_of_start(line.text))
        kinds[words_of(line.text)].push_back(line.time_s);
    }
    const std::vector<double>* most = nullptr;
    for (const auto& [words, times] : kinds) {
      if (most && (times.size() < most->size() ||
                   (times.size() == most->size() && times.front() >= most->front())))
        continue;
      most = &times;
      by = fmt::format("by its line \"{}\"", words);
    }
    if (most) return *most;
    std::vector<double> out;
    for (std::size_t i = 0; i < visits_.size(); ++i) {
      const Visit& v = visits_[i];
      if (is_built_in_state(v.state) || !speaks_of_start(v.state)) continue;
      if (i > 0 && (visits_[i - 1].state == v.state || visits_[i - 1].state == kMissing)) continue;
      out.push_back(v.from_s);
      by = fmt::format("by its state {}", v.state);
    }
    return out;
  }

  /// Of each start whether somebody made it: the first one behind each switching, and the one with
  /// which a capture begins.
  std::vector<DeviceStart> with_reasons(const std::vector<double>& starts,
                                        double first_sign) const {
    std::vector<DeviceStart> out;
    double last = capture_.info.from_s();
    for (const double at : starts) {
      const bool switched = std::any_of(events_.begin(), events_.end(), [&](const Event& e) {
        return is_switching(e.kind) && e.earliest_s <= at && (out.empty() || e.latest_s > last);
      });
      const bool first = out.empty() && at <= first_sign;
      out.push_back({at, switched || first});
      last = at;
    }
    return out;
  }

  void look_at_log() {
    const std::vector<book::LogLine> log = book_.log(capture_.info.id);
    std::vector<double> lines;
    for (const book::LogLine& line : log) {
      if (!line.sent) lines.push_back(line.time_s);
    }
    std::string by;
    const std::vector<double> begun = starts(log, by);
    double first_sign = lines.empty() ? capture_.info.to_s() : lines.front();
    if (lines.empty() && !begun.empty()) first_sign = begun.front();
    const std::vector<DeviceStart> all = with_reasons(begun, first_sign);
    std::vector<std::pair<double, double>> looping;
    if (!recorded(EventKind::device_reset_loop)) {
      for (const ResetLoop& loop : loops_among(all)) {
        looping.emplace_back(loop.from_s, loop.to_s());
        if (!has_loop(looping.back())) add_loop(loop, by);
      }
    }
    for (const DeviceStart& s : all) {
      const bool told = std::any_of(looping.begin(), looping.end(), [&](const auto& l) {
        return s.at_s >= l.first && s.at_s <= l.second + 1e-9;
      });
      if (s.wanted || told) continue;
      add({Trouble::Kind::restart, s.at_s, s.at_s, "", fmt::format("started by itself ({})", by)});
    }
    if (recorded(EventKind::log_lost)) {
      found_.unknown.push_back("the log was lost: whether the device hung cannot be told");
      return;
    }
    std::sort(lines.begin(), lines.end());
    for (const Hang& h : hangs_of(visits_, lines, capture_.info.to_s())) add_hang(h);
  }

  /// Whether the limit has told of the same loop.
  bool has_loop(const std::pair<double, double>& span) const {
    return std::any_of(found_.all.begin(), found_.all.end(), [&](const Trouble& t) {
      return t.kind == Trouble::Kind::reset_loop && t.from_s <= span.second && span.first <= t.to_s;
    });
  }

  void add_hang(const Hang& h) {
    const double silent = h.silent_to_s - h.silent_from_s;
    const double length = h.to_s - h.from_s;
    std::string text =
        fmt::format("stands still: no line for {} (nine of ten silences are under {})",
                    duration(silent), duration(h.usual_silence_s));
    const auto figures =
        std::find_if(capture_.visits.begin(), capture_.visits.end(),
                     [&](const VisitFigures& f) { return f.visit.from_s == h.from_s; });
    const std::string mean = figures != capture_.visits.end() && figures->mean
                                 ? " at " + with_prefix(*figures->mean, capture_.channel.unit)
                                 : std::string();
    text += h.state == kUnassigned
                ? fmt::format(",{} for {}, the level of no state", mean, duration(length))
                : fmt::format(", in {}{} for {}", h.state, mean, duration(length));
    if (h.longest_s) text += fmt::format("; elsewhere {} at most", duration(*h.longest_s));
    Trouble t{Trouble::Kind::hang, h.from_s, h.to_s, "", text};
    t.silent_s = silent;
    add(std::move(t));
  }

  const book::Book& book_;
  const book::SplitCapture& capture_;
  const TroubleSettings& settings_;
  Visits visits_;
  std::vector<Event> events_;
  Troubles found_;
};

}  // namespace

std::string_view key_of(Trouble::Kind kind) {
  static constexpr std::array<std::string_view, 6> kKeys{"limited", "dip",  "reset_loop",
                                                         "restart", "hang", "recorded"};
  return kKeys[static_cast<std::size_t>(kind)];
}

Troubles troubles_of(const book::Book& book, const book::SplitCapture& capture,
                     const TroubleSettings& settings) {
  if (!capture.trace) return {};
  return Search(book, capture, settings).run();
}

nlohmann::ordered_json to_json(const Troubles& troubles) {
  nlohmann::ordered_json found = nlohmann::ordered_json::array();
  for (const Trouble& t : troubles.all) {
    nlohmann::ordered_json row{
        {"kind", key_of(t.kind)}, {"from_s", t.from_s}, {"to_s", t.to_s}, {"text", t.text}};
    row["state"] = t.state.empty() ? nlohmann::ordered_json() : nlohmann::ordered_json(t.state);
    if (t.length_s > 0) {
      row["times"] = t.times;
      row["length_s"] = t.length_s;
    }
    if (t.lowest_v) {
      row["lowest_v"] = *t.lowest_v;
      row["recovers"] = t.recovers;
    }
    if (t.rounds > 0) {
      row["rounds"] = t.rounds;
      row["period_s"] = t.period_s;
    }
    if (t.silent_s) row["silent_s"] = *t.silent_s;
    found.push_back(std::move(row));
  }
  return {{"found", found},
          {"unknown", troubles.unknown},
          {"limit_a", formats::json_number(troubles.limit_a)},
          {"usual_v", formats::json_number(troubles.usual_v)},
          {"dip_below_v", formats::json_number(troubles.dip_v)}};
}

}  // namespace kuvio::study
