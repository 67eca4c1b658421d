// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/project_files.h"

#include "book/anchors.h"
#include "book/documents.h"
#include "core/budget.h"
#include "formats/toml_file.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::formats {
namespace {

/// What a level is of, by its unit: a rule with a channel of its own may have one of anything.
Dimension dimension_of(const TomlTable& level) {
  for (const char* key : {"below", "above"}) {
    if (!level.is_text(key)) continue;
    for (const Dimension d : {Dimension::current, Dimension::voltage, Dimension::power,
                              Dimension::charge, Dimension::ratio}) {
      try {
        parse_quantity(level.string(key), d);
        return d;
      } catch (const std::invalid_argument&) {
      }
    }
  }
  return Dimension::current;
}

Band read_band(const TomlTable& level, Dimension dimension) {
  level.expect({"below", "above", "release", "release_below", "release_above"});
  Band band;
  const auto below = level.optional_quantity("below", dimension);
  const auto above = level.optional_quantity("above", dimension);
  if (!below && !above) level.complain("a level needs \"below\", \"above\" or both");
  if (below) band.high = *below;
  if (above) band.low = *above;
  if (band.low >= band.high) level.complain("\"above\" must be less than \"below\"");
  band.release_low = band.low;
  band.release_high = band.high;
  if (const auto release = level.optional_quantity("release", dimension)) {
    if (below && above)
      level.complain(
          "\"release\" needs exactly one of \"below\" and \"above\"; a level with both has "
          "\"release_below\" and \"release_above\"",
          "release");
    if (below && *release < band.high)
      level.complain("\"release\" must not be lower than \"below\"", "release");
    if (above && *release > band.low)
      level.complain("\"release\" must not lie over \"above\"", "release");
    (below ? band.release_high : band.release_low) = *release;
  }
  // A band between two others may have one on each side.
  const auto side = [&](const char* key, double& release, double edge, bool over) {
    const auto value = level.optional_quantity(key, dimension);
    if (!value) return;
    if (!below || !above)
      level.complain("\"" + std::string(key) + "\" is of a level with \"above\" and \"below\"",
                     key);
    if (over ? *value < edge : *value > edge)
      level.complain("\"" + std::string(key) + "\" must lie outside the level", key);
    release = *value;
  };
  side("release_above", band.release_high, band.high, true);
  side("release_below", band.release_low, band.low, false);
  return band;
}

/// What begins or ends a state; `name` is the rule's, whose groups a log's expression must have.
std::optional<Anchor> read_anchor(const TomlTable& state, std::string_view key,
                                  const std::string& name) {
  const auto table = state.optional_table(key);
  if (!table) return std::nullopt;
  table->expect({"log", "logic", "mark", "edge", "offset"});
  if (table->has("log") + table->has("logic") + table->has("mark") != 1)
    table->complain("needs one of \"log\", \"logic\" and \"mark\"");
  Anchor out;
  out.offset_s = table->optional_quantity("offset", Dimension::time).value_or(0);
  if (table->has("logic")) {
    out.by = Anchor::By::logic;
    out.of = table->string("logic");
    const std::string edge = table->optional_string("edge").value_or("rising");
    if (edge != "rising" && edge != "falling")
      table->complain("\"edge\" is \"rising\" or \"falling\"", "edge");
    out.rises = edge == "rising";
  } else {
    if (table->has("edge")) table->complain("an \"edge\" is of a \"logic\" line", "edge");
    const char* by = table->has("log") ? "log" : "mark";
    out.by = table->has("log") ? Anchor::By::log : Anchor::By::mark;
    out.of = table->string(by);
    try {
      const auto groups = book::groups_of(out.of);
      if (key != "begins") return out;
      for (const std::string& group : book::groups_in(name)) {
        if (groups.count(group) == 0)
          table->complain("the name asks for {" + group +
                              "}, and the expression has no group (?P<" + group + ">…)",
                          by);
      }
    } catch (const std::invalid_argument& e) {
      table->complain("\"" + out.of + "\" is no regular expression: " + e.what(), by);
    }
  }
  return out;
}

Must read_must(const TomlTable& state, Dimension dimension) {
  Must out;
  const auto table = state.optional_table("must");
  if (!table) return out;
  table->expect({"peak_above", "length", "mean"});
  out.peak_above = table->optional_quantity("peak_above", dimension);
  if (const auto length = table->optional_table("length")) {
    length->expect({"min", "max"});
    out.longer_s = length->optional_quantity("min", Dimension::time);
    out.shorter_s = length->optional_quantity("max", Dimension::time);
    if (out.longer_s && out.shorter_s && *out.longer_s > *out.shorter_s)
      length->complain("\"min\" must not be longer than \"max\"", "min");
  }
  if (const auto mean = table->optional_table("mean")) {
    mean->expect({"above", "below"});
    out.mean_above = mean->optional_quantity("above", dimension);
    out.mean_below = mean->optional_quantity("below", dimension);
    if (out.mean_above && out.mean_below && *out.mean_above >= *out.mean_below)
      mean->complain("\"above\" must be lower than \"below\"", "above");
  }
  if (!out.any()) table->complain("it asks for nothing", "must");
  return out;
}

Smoothing read_smoothing(const TomlTable& root) {
  Smoothing out;
  const auto table = root.optional_table("smooth");
  if (!table) return out;
  table->expect({"over", "take"});
  out.over_s = table->quantity("over", Dimension::time);
  if (!(out.over_s > 0)) table->complain("\"over\" is longer than nothing", "over");
  const std::string take = table->string("take");
  if (take == "max") {
    out.take = Smoothing::Take::max;
  } else if (take == "mean") {
    out.take = Smoothing::Take::mean;
  } else if (take == "median") {
    out.take = Smoothing::Take::median;
  } else {
    table->complain("\"take\" is \"max\", \"mean\" or \"median\"", "take");
  }
  return out;
}

/// The level of a rule with a channel of its own: a band of its unit, or a logic line's.
void read_own_level(const TomlTable& table, StateRule& rule) {
  if (table.is_text("level")) {
    const std::string level = table.string("level");
    if (level != "high" && level != "low")
      table.complain("\"level\" of a logic line is \"high\" or \"low\"", "level");
    rule.line_high = level == "high";
  } else {
    if (!table.has("level"))
      table.complain("a rule with a \"channel\" of its own needs its \"level\"", "channel");
    rule.dimension = dimension_of(table.table("level"));
    rule.level = read_band(table.table("level"), rule.dimension);
  }
  if (table.has("after"))
    table.complain("\"after\" is of rules that read the recipe's channel", "after");
}

/// What a logic line's level cannot be asked for.
void check_line(const TomlTable& table, const StateRule& rule) {
  if (!rule.line_high) return;
  if (rule.begins || rule.ends)
    table.complain("its edges are the logic line's: no \"begins\" or \"ends\"",
                   rule.begins ? "begins" : "ends");
  if (rule.must.peak_above || rule.must.mean_above || rule.must.mean_below)
    table.complain("a logic line has no peak and no mean", "must");
}

/// The groups of a name that nothing could complete.
void check_name(const TomlTable& table, const StateRule& rule) {
  const bool by_text = rule.begins && rule.begins->by != Anchor::By::logic;
  if (!book::groups_in(rule.name).empty() && !by_text)
    table.complain("a name with {…} needs \"begins\" with a \"log\" or a \"mark\"", "name");
}

double not_negative(const TomlTable& table, std::string_view key) {
  const double value = table.optional_quantity(key, Dimension::time).value_or(0);
  if (value < 0) table.complain("\"" + std::string(key) + "\" cannot be negative", key);
  return value;
}

Statistic read_statistic(const TomlTable& table, const LimitQuantityInfo& quantity) {
  const auto key = table.optional_string("of");
  if (!key) return quantity.usual;
  std::string known;
  for (const StatisticInfo& one : statistics()) {
    if (*key == one.key) return one.id;
    known += (known.empty() ? "\"" : ", \"") + std::string(one.key) + "\"";
  }
  table.complain("\"of\" must be one of " + known, "of");
}

void check_fits(const TomlTable& table, const Limit& limit, const LimitQuantityInfo& quantity) {
  if (quantity.fits(limit.scope)) return;
  const std::string key(quantity.key), name = "\"" + key + "\"";
  if (!quantity.of_state && !quantity.of_whole)
    table.complain(name + " goes with field = true", key);
  if (limit.scope == Scope::field) table.complain(name + " does not apply to the field", key);
  table.complain(name + " needs a state", key);
}

Limit read_limit(const TomlTable& table, const LimitQuantityInfo& q, const Limit& common,
                 const FindFile& find) {
  Limit limit = common;
  limit.quantity = q.id;
  check_fits(table, limit, q);
  const TomlTable value = table.table(q.key);
  if (q.needs_battery) {
    value.expect({"expect", "min", "battery"});
    limit.min = value.optional_quantity("min", q.dimension);
    if (!limit.min) value.complain("a " + std::string(q.name) + " needs \"min\"");
    const std::string name = value.string("battery");
    limit.battery = parse_battery(find(book::DocumentKind::battery, name), value.beside(name));
  } else {
    value.expect({"expect", "max", "of"}, {"min", "peak_over"});
    limit.max = value.optional_quantity("max", q.dimension);
    if (!limit.max) value.complain("a limit needs \"max\"");
    limit.statistic = read_statistic(value, q);
  }
  limit.expect = value.optional_quantity("expect", q.dimension);
  return limit;
}

}  // namespace

RecipeFile parse_recipe(const std::string& text, const std::string& path) {
  const TomlTable root = TomlTable::text(text, path, "recipe");
  root.expect({"kuvio", "name", "channel", "smooth", "state"});
  RecipeFile out;
  out.text = text;
  out.recipe.name = root.string("name");
  out.recipe.channel = root.optional_string("channel").value_or("");
  out.recipe.smooth = read_smoothing(root);
  for (const TomlTable& table : root.tables("state")) {
    table.expect(
        {"name", "channel", "level", "shortest", "join_gaps", "must", "begins", "ends", "after"});
    StateRule rule;
    rule.name = table.string("name");
    if (rule.name.empty()) table.complain("a state needs a name", "name");
    if (is_built_in_state(rule.name))
      table.complain("\"" + rule.name + "\" is built in and cannot be a rule", "name");
    for (const StateRule& other : out.recipe.states) {
      if (other.name == rule.name)
        table.complain("there are two rules named \"" + rule.name + "\"", "name");
    }
    rule.begins = read_anchor(table, "begins", rule.name);
    rule.ends = read_anchor(table, "ends", rule.name);
    rule.channel = table.optional_string("channel").value_or("");
    if (rule.channel == out.recipe.channel) rule.channel.clear();
    rule.by_level = table.has("level") || !rule.begins;
    if (rule.elsewhere()) {
      read_own_level(table, rule);
    } else if (rule.by_level) {
      rule.level = read_band(table.table("level"), Dimension::current);
    }
    check_name(table, rule);
    rule.must = read_must(table, rule.dimension);
    check_line(table, rule);
    if (table.has("after")) rule.after = table.strings("after");
    if (!rule.by_level && table.has("join_gaps"))
      table.complain("\"join_gaps\" joins stays at a level, and there is no \"level\"",
                     "join_gaps");
    rule.shortest_s = not_negative(table, "shortest");
    rule.join_gaps_s = not_negative(table, "join_gaps");
    out.recipe.states.push_back(std::move(rule));
  }
  if (out.recipe.states.empty()) root.complain("a recipe needs at least one [[state]]");
  return out;
}

RecipeFile read_recipe(const std::string& path) { return parse_recipe(read_text_file(path), path); }

double parse_self_discharge(const std::string& text) {
  const auto slash = text.find('/');
  if (slash == std::string::npos) {
    throw std::invalid_argument("\"" + text + "\" needs " + describe(Dimension::ratio_per_time));
  }
  const double share = parse_quantity(text.substr(0, slash), Dimension::ratio);
  const double period = unit_factor(text.substr(slash + 1), Dimension::time);
  if (share < 0 || share >= 1)
    throw std::invalid_argument("\"" + text + "\" is not between 0 and 100 %");
  return self_discharge_rate(share, period);
}

Battery read_battery(const std::string& path) { return parse_battery(read_text_file(path), path); }

Battery parse_battery(const std::string& text, const std::string& name) {
  const TomlTable root = TomlTable::text(text, name, "battery");
  // Resistance, buffer and cut-off voltage describe the cell for pulse checks; a life does not need
  // them.
  root.expect({"kuvio", "name", "capacity", "voltage", "cutoff_reserve", "margin", "self_discharge",
               "open_circuit_voltage", "internal_resistance", "buffer_capacitor", "buffer_esr",
               "buffer_leakage", "cutoff_voltage"});
  Battery out;
  out.name = root.optional_string("name").value_or("");
  out.capacity_c = root.quantity("capacity", Dimension::charge);
  if (!(out.capacity_c > 0)) root.complain("\"capacity\" must be greater than zero", "capacity");
  out.voltage = root.optional_quantity("voltage", Dimension::voltage).value_or(0);
  for (const auto& [key, target] :
       {std::pair{"cutoff_reserve", &out.reserve}, std::pair{"margin", &out.margin}}) {
    *target = root.optional_quantity(key, Dimension::ratio).value_or(0);
    if (*target < 0 || *target >= 1)
      root.complain("\"" + std::string(key) + "\" must lie between 0 and 100 %", key);
  }
  if (const auto loss = root.optional_string("self_discharge")) {
    try {
      out.self_discharge_hz = parse_self_discharge(*loss);
    } catch (const std::invalid_argument& e) {
      root.complain(std::string("\"self_discharge\": ") + e.what(), "self_discharge");
    }
  }
  for (const auto& [key, dimension] : {std::pair{"open_circuit_voltage", Dimension::voltage},
                                       std::pair{"internal_resistance", Dimension::resistance},
                                       std::pair{"buffer_capacitor", Dimension::capacitance},
                                       std::pair{"buffer_esr", Dimension::resistance},
                                       std::pair{"buffer_leakage", Dimension::current},
                                       std::pair{"cutoff_voltage", Dimension::voltage}}) {
    // Checked, so that a slip is reported now.
    if (root.optional_quantity(key, dimension)) out.not_used.emplace_back(key);
  }
  return out;
}

namespace {

Activity read_activity(const TomlTable& table) {
  table.expect({"every", "per", "states", "lengths"});
  Activity out;
  const auto every = table.optional_quantity("every", Dimension::time);
  const auto per = table.optional_quantity("per", Dimension::frequency);
  if (every.has_value() == per.has_value())
    table.complain("an activity needs one of \"every\" and \"per\"");
  if (every && !(*every > 0)) table.complain("\"every\" must be greater than zero", "every");
  if (per && !(*per > 0)) table.complain("\"per\" must be greater than zero", "per");
  out.rate_hz = every ? 1 / *every : *per;
  out.states = table.strings("states");
  if (const auto lengths = table.optional_table("lengths")) {
    for (const std::string& state : lengths->keys()) {
      if (std::find(out.states.begin(), out.states.end(), state) == out.states.end())
        lengths->complain("\"" + state + "\" is not a state of this activity", state);
      const double length = *lengths->optional_quantity(state, Dimension::time);
      if (!(length > 0)) lengths->complain("a length must be greater than zero", state);
      out.lengths[state] = length;
    }
  }
  return out;
}

}  // namespace

const char* activity_key(const std::string& text) {
  const TomlTable root = TomlTable::text(text, "duty plan", "duty");
  return root.has("round") && !root.has("activity") ? "round" : "activity";
}

DutyPlan read_duty(const std::string& path) { return parse_duty(read_text_file(path), path); }

DutyPlan parse_duty(const std::string& text, const std::string& name) {
  const TomlTable root = TomlTable::text(text, name, "duty");
  root.expect({"kuvio", "name", "rest", "activity", "round", "once"});
  DutyPlan out;
  out.name = name;
  out.rest = root.string("rest");
  // Plans of older books say [[round]].
  for (const char* key : {"activity", "round"}) {
    for (const TomlTable& table : root.tables(key)) out.activities.push_back(read_activity(table));
  }
  for (const TomlTable& table : root.tables("once")) {
    table.expect({"states"});
    for (const std::string& state : table.strings("states")) out.once.push_back(state);
  }
  return out;
}

Budget read_budget(const std::string& path) {
  const std::string text = read_text_file(path);
  const TomlTable root = TomlTable::text(text, path, "budget");
  return parse_budget(text, path, [&](book::DocumentKind, const std::string& name) {
    return read_text_file(root.beside(name));
  });
}

Budget parse_budget(const std::string& text, const std::string& path, const FindFile& find) {
  const TomlTable root = TomlTable::text(text, path, "budget");
  root.expect({"kuvio", "name", "supply", "recipe", "limit"});
  Budget out;
  out.name = root.string("name");
  out.supply = root.optional_quantity("supply", Dimension::voltage).value_or(0);
  out.recipe_file = root.beside(root.string("recipe"));
  std::vector<std::string_view> known{"state", "whole", "field", "duty"};
  for (const LimitQuantityInfo& q : limit_quantities()) known.push_back(q.key);
  std::size_t block = 0;
  for (const TomlTable& table : root.tables("limit")) {
    table.expect(known);
    Limit common;
    common.block = block++;
    const auto state = table.optional_string("state");
    const bool field = table.boolean("field", false), whole = table.boolean("whole", false);
    if ((state ? 1 : 0) + (field ? 1 : 0) + (whole ? 1 : 0) > 1) {
      table.complain("a limit needs exactly one of state, whole or field");
    }
    common.scope = state ? Scope::state : field ? Scope::field : Scope::whole;
    common.state = state.value_or("");
    if (field) {
      const std::string name = table.string("duty");
      common.duty = parse_duty(find(book::DocumentKind::duty, name), table.beside(name));
    } else if (table.has("duty")) {
      table.complain("\"duty\" goes with field = true", "duty");
    }
    const auto before = out.limits.size();
    for (const LimitQuantityInfo& q : limit_quantities()) {
      if (table.has(q.key)) out.limits.push_back(read_limit(table, q, common, find));
    }
    if (out.limits.size() == before)
      table.complain("a limit needs a quantity such as mean_current = { max = \"4 uA\" }");
  }
  if (out.limits.empty()) root.complain("a budget needs at least one [[limit]]");
  return out;
}

std::vector<NamedFile> files_named(const std::string& budget, const std::string& name) {
  std::vector<NamedFile> out{
      {book::DocumentKind::recipe, TomlTable::text(budget, name, "budget").string("recipe")}};
  parse_budget(budget, name, [&](book::DocumentKind kind, const std::string& file) -> std::string {
    const NamedFile one{kind, file};
    if (std::find(out.begin(), out.end(), one) == out.end()) out.push_back(one);
    // Valid, and nothing in it: where the file itself is does not matter here.
    return kind == book::DocumentKind::battery ? "kuvio = \"battery/1\"\ncapacity = \"1 Ah\"\n"
                                               : "kuvio = \"duty/1\"\nrest = \"-\"\n";
  });
  return out;
}

void check_document(book::DocumentKind kind, const std::string& text, const std::string& name) {
  switch (kind) {
    case book::DocumentKind::recipe:
      parse_recipe(text, name);
      break;
    case book::DocumentKind::budget:
      files_named(text, name);
      break;
    case book::DocumentKind::duty:
    case book::DocumentKind::scenario_duty:
      parse_duty(text, name);
      break;
    case book::DocumentKind::battery:
    case book::DocumentKind::scenario_battery:
      parse_battery(text, name);
      break;
  }
}

}  // namespace kuvio::formats
