// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/project_edits.h"

#include "core/budget.h"
#include "formats/project_files.h"
#include "formats/project_text.h"
#include "formats/toml_edit.h"

#include <algorithm>
#include <cmath>

namespace kuvio::formats {
namespace {

constexpr const char *kLimit = "limit", *kState = "state";

/// Three or four digits are what people set by hand.
std::string quoted(double value, Dimension dimension, int digits) {
  return toml_quote(quantity_text(value, dimension, digits));
}

std::string set_or_remove(const std::string& text, const std::string& name, const TomlPlace& place,
                          const std::optional<std::string>& value) {
  return value ? toml_set(text, name, place, *value) : toml_remove(text, name, place);
}

}  // namespace

std::string set_limit(const std::string& text, const std::string& name, const Limit& limit) {
  const LimitQuantityInfo& quantity = info(limit.quantity);
  std::string out = text;
  const auto set = [&](const char* key, const std::optional<std::string>& value) {
    out = set_or_remove(out, name, {kLimit, limit.block, std::string(quantity.key), key}, value);
  };
  const auto figure = [&](const std::optional<double>& value) {
    return value ? std::optional(quoted(*value, quantity.dimension, 5)) : std::nullopt;
  };
  set("expect", figure(limit.expect));
  if (limit.max) set("max", figure(limit.max));
  if (limit.min) set("min", figure(limit.min));
  // What is usual is not written out: a lifetime knows no such key at all.
  set("of", limit.statistic == quantity.usual
                ? std::nullopt
                : std::optional(toml_quote(std::string(info(limit.statistic).key))));
  return out;
}

std::string remove_limit(const std::string& text, const std::string& name, const Budget& budget,
                         const Limit& limit) {
  const auto in_block = std::count_if(budget.limits.begin(), budget.limits.end(),
                                      [&](const Limit& l) { return l.block == limit.block; });
  if (in_block == 1) return toml_remove_block(text, name, kLimit, limit.block);
  return toml_remove(text, name, {kLimit, limit.block, std::string(info(limit.quantity).key), ""});
}

std::string set_rule_edge(const std::string& text, const std::string& name, const Recipe& recipe,
                          std::size_t rule, BandEdge edge, const std::optional<double>& level) {
  const Band& band = recipe.states.at(rule).level;
  const bool below = edge == BandEdge::below;
  const double was = below ? band.high : band.low,
               release = below ? band.release_high : band.release_low;
  const auto place = [&](const char* key) { return TomlPlace{kState, rule, "level", key}; };
  const auto value = [](double v) { return quoted(v, Dimension::current, 4); };
  std::string out = set_or_remove(text, name, place(below ? "below" : "above"),
                                  level ? std::optional(value(*level)) : std::nullopt);
  const bool both = std::isfinite(band.low) && std::isfinite(band.high);
  // A level with one edge has another key for its release.
  if (!level && both && band.release_high != band.high)
    out = toml_remove(out, name, place("release_above"));
  if (!level && both && band.release_low != band.low)
    out = toml_remove(out, name, place("release_below"));
  if (level && std::isfinite(release) && was > 0 && release != was) {
    const char* key = !both ? "release" : below ? "release_above" : "release_below";
    out = toml_set(out, name, place(key), value(*level * release / was));
  }
  return out;
}

std::string set_rule_length(const std::string& text, const std::string& name, std::size_t rule,
                            const char* key, const std::optional<double>& length_s) {
  return set_or_remove(
      text, name, {kState, rule, key, ""},
      length_s ? std::optional(quoted(*length_s, Dimension::time, 4)) : std::nullopt);
}

std::string rename_rule(const std::string& text, const std::string& name, std::size_t rule,
                        const std::string& state) {
  return toml_set(text, name, {kState, rule, "name", ""}, toml_quote(state));
}

std::string insert_rule(const std::string& text, const std::string& name, std::size_t before,
                        const std::string& block) {
  return toml_insert_block(text, name, kState, before, block);
}

std::string move_rule(const std::string& text, const std::string& name, std::size_t from,
                      std::size_t to) {
  return toml_move_block(text, name, kState, from, to);
}

std::string remove_rule(const std::string& text, const std::string& name, std::size_t rule) {
  return toml_remove_block(text, name, kState, rule);
}

std::string set_battery_value(const std::string& text, const std::string& name,
                              const std::string& key, const std::string& value) {
  return toml_set(text, name, {"", 0, key, ""}, toml_quote(value));
}

std::string set_activity_interval(const std::string& text, const std::string& name,
                                  std::size_t activity, double interval_s) {
  const char* list = activity_key(text);
  // An activity has one of the two.
  const std::string out = toml_remove(text, name, {list, activity, "per", ""});
  return toml_set(out, name, {list, activity, "every", ""}, quoted(interval_s, Dimension::time, 8));
}

std::string add_activity(const std::string& text, const std::string& name,
                         const std::vector<std::string>& states, double interval_s) {
  const std::string list = activity_key(text);
  std::string block =
      "[[" + list + "]]\nevery = " + quoted(interval_s, Dimension::time, 8) + "\nstates = [";
  for (std::size_t i = 0; i < states.size(); ++i)
    block += (i == 0 ? "" : ", ") + toml_quote(states[i]);
  return toml_insert_block(text, name, list, static_cast<std::size_t>(-1), block + "]\n");
}

std::string remove_activity(const std::string& text, const std::string& name,
                            std::size_t activity) {
  return toml_remove_block(text, name, activity_key(text), activity);
}

std::string set_rest(const std::string& text, const std::string& name, const std::string& state) {
  return toml_set(text, name, {"", 0, "rest", ""}, toml_quote(state));
}

}  // namespace kuvio::formats
