// SPDX-License-Identifier: GPL-3.0-or-later
// Writing the files that project_files.cpp reads.

#include "formats/project_text.h"

#include "core/budget.h"
#include "core/time_units.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"
#include "formats/toml_edit.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>

namespace kuvio::formats {
namespace {

constexpr double kCellCharge = 360;  // C; 100 mAh

std::string plain(double value, int digits) {
  std::string out = fmt::format("{:.{}g}", value, digits);
  if (out.find('e') == std::string::npos) return out;
  out = fmt::format("{:.12f}", value);
  while (out.back() == '0') out.pop_back();
  if (out.back() == '.') out.pop_back();
  return out;
}

std::string prefixed(double value, std::string_view unit, int digits) {
  constexpr std::array<const char*, 9> kPrefix{"p", "n", "u", "m", "", "k", "M", "G", "T"};
  int step = value == 0 ? 0 : static_cast<int>(std::floor(std::log10(std::fabs(value)) / 3 + 1e-9));
  step = std::clamp(step, -4, 4);
  const int at = step + 4;
  return plain(value / std::pow(1000.0, step), digits) + " " +
         kPrefix[static_cast<std::size_t>(at)] + std::string(unit);
}

std::string time_text(double value, int digits) {
  const double s = std::fabs(value);
  for (const auto& [unit, length] :
       {std::pair{"y", kYear}, std::pair{"month", kMonth}, std::pair{"d", kDay}}) {
    const double n = s / length;
    if (n >= 0.999999 && std::fabs(n * 4 - std::round(n * 4)) < 1e-9)
      return plain(value / length, digits) + " " + unit;
  }
  if (s >= kYear) return plain(value / kYear, digits) + " y";
  if (s >= 2 * kDay) return plain(value / kDay, digits) + " d";
  if (s >= 3600 && std::fmod(s, 60) < 1e-9) return plain(value / 3600, digits) + " h";
  if (s >= 120 && std::fmod(s, 60) < 1e-9) return plain(value / 60, digits) + " min";
  if (s >= 1) return plain(value, digits) + " s";
  return prefixed(value, "s", digits);
}

void line(std::string& out, const std::string& key, const std::string& quoted) {
  out += key + " = " + quoted + "\n";
}

/// A TOML key: bare where that is allowed.
std::string key(const std::string& name) {
  const bool bare = !name.empty() && std::all_of(name.begin(), name.end(), [](unsigned char c) {
    return c < 128 && (std::isalnum(c) || c == '_' || c == '-');
  });
  return bare ? name : toml_quote(name);
}

std::string list(const std::vector<std::string>& texts) {
  std::string out;
  for (const std::string& t : texts) out += (out.empty() ? "" : ", ") + toml_quote(t);
  return "[" + out + "]";
}

}  // namespace

std::string quantity_text(double value, Dimension dimension, int digits) {
  switch (dimension) {
    case Dimension::time:
      return time_text(value, digits);
    case Dimension::ratio:
      return plain(value * 100, digits) + " %";
    case Dimension::ratio_per_time:
      return plain(value * kYear * 100, digits) + " %/y";
    case Dimension::frequency: {
      const double day = value * kDay, hour = value * 3600;
      if (value >= 1) return prefixed(value, "Hz", digits);
      return day < 24 ? plain(day, digits) + " /d" : plain(hour, digits) + " /h";
    }
    case Dimension::charge:  // a cell's, as cells are sold
      if (std::fabs(value) >= kCellCharge) return plain(value / 3.6, digits) + " mAh";
      [[fallthrough]];
    default:
      return prefixed(value, unit_symbol(dimension), digits);
  }
}

namespace {

std::string anchor_text(const Anchor& a) {
  std::string out = "{ ";
  if (a.by == Anchor::By::logic) {
    out += "logic = " + toml_quote(a.of) + ", edge = " + (a.rises ? "\"rising\"" : "\"falling\"");
  } else {
    out += (a.by == Anchor::By::log ? "log = " : "mark = ") + toml_quote(a.of);
  }
  if (a.offset_s != 0)
    out += ", offset = " + toml_quote(quantity_text(a.offset_s, Dimension::time));
  return out + " }";
}

std::string must_text(const Must& must, Dimension of) {
  std::string out;
  const auto put = [](std::string& to, const char* key, const std::string& value) {
    to += (to.empty() ? "" : ", ") + std::string(key) + " = " + value;
  };
  const auto quantity = [](const std::optional<double>& v, Dimension dimension) {
    return toml_quote(quantity_text(*v, dimension));
  };
  std::string length, mean;
  if (must.longer_s) put(length, "min", quantity(must.longer_s, Dimension::time));
  if (must.shorter_s) put(length, "max", quantity(must.shorter_s, Dimension::time));
  if (must.mean_above) put(mean, "above", quantity(must.mean_above, of));
  if (must.mean_below) put(mean, "below", quantity(must.mean_below, of));
  if (must.peak_above) put(out, "peak_above", quantity(must.peak_above, of));
  if (!length.empty()) put(out, "length", "{ " + length + " }");
  if (!mean.empty()) put(out, "mean", "{ " + mean + " }");
  return "{ " + out + " }";
}

}  // namespace

std::string state_block(const StateRule& rule) {
  std::string out = "[[state]]\n";
  line(out, "name", toml_quote(rule.name));
  if (rule.elsewhere()) line(out, "channel", toml_quote(rule.channel));
  const Band& b = rule.level;
  std::string level;
  const auto add = [&](const char* key, double value) {
    level += (level.empty() ? "" : ", ") + std::string(key) + " = " +
             toml_quote(quantity_text(value, rule.dimension));
  };
  if (std::isfinite(b.low)) add("above", b.low);
  if (std::isfinite(b.high)) add("below", b.high);
  if (std::isfinite(b.high) && !std::isfinite(b.low) && b.release_high != b.high)
    add("release", b.release_high);
  if (std::isfinite(b.low) && !std::isfinite(b.high) && b.release_low != b.low)
    add("release", b.release_low);
  if (std::isfinite(b.low) && std::isfinite(b.high)) {
    if (b.release_low != b.low) add("release_below", b.release_low);
    if (b.release_high != b.high) add("release_above", b.release_high);
  }
  if (rule.line_high) {
    line(out, "level", toml_quote(*rule.line_high ? "high" : "low"));
  } else if (rule.by_level) {
    line(out, "level", "{ " + level + " }");
  }
  if (rule.shortest_s > 0)
    line(out, "shortest", toml_quote(quantity_text(rule.shortest_s, Dimension::time)));
  if (rule.join_gaps_s > 0)
    line(out, "join_gaps", toml_quote(quantity_text(rule.join_gaps_s, Dimension::time)));
  if (rule.begins) line(out, "begins", anchor_text(*rule.begins));
  if (rule.ends) line(out, "ends", anchor_text(*rule.ends));
  if (rule.must.any()) line(out, "must", must_text(rule.must, rule.dimension));
  if (!rule.after.empty()) line(out, "after", list(rule.after));
  return out;
}

std::string recipe_text(const Recipe& recipe) {
  std::string out = "kuvio = \"recipe/1\"\n";
  line(out, "name", toml_quote(recipe.name));
  if (!recipe.channel.empty()) line(out, "channel", toml_quote(recipe.channel));
  if (recipe.smooth.over_s > 0) {
    const char* const takes[] = {"max", "mean", "median"};
    line(out, "smooth",
         "{ over = " + toml_quote(quantity_text(recipe.smooth.over_s, Dimension::time)) +
             ", take = " + toml_quote(takes[static_cast<std::size_t>(recipe.smooth.take)]) + " }");
  }
  for (const StateRule& rule : recipe.states) out += "\n" + state_block(rule);
  return out;
}

std::string duty_text(const DutyPlan& plan) {
  std::string out = "kuvio = \"duty/1\"\n";
  line(out, "rest", toml_quote(plan.rest));
  for (const Activity& activity : plan.activities) {
    out += "\n[[activity]]\n";
    if (activity.rate_hz >= 1.0 / 7200) {
      line(out, "every", toml_quote(quantity_text(1 / activity.rate_hz, Dimension::time)));
    } else {
      line(out, "per", toml_quote(quantity_text(activity.rate_hz, Dimension::frequency)));
    }
    line(out, "states", list(activity.states));
    if (activity.lengths.empty()) continue;
    std::string lengths;
    for (const auto& [state, length] : activity.lengths)
      lengths += (lengths.empty() ? "" : ", ") + key(state) + " = " +
                 toml_quote(quantity_text(length, Dimension::time));
    line(out, "lengths", "{ " + lengths + " }");
  }
  if (!plan.once.empty()) {
    out += "\n[[once]]\n";
    line(out, "states", list(plan.once));
  }
  return out;
}

std::string battery_text(const Battery& b) {
  std::string out = "kuvio = \"battery/1\"\n";
  if (!b.name.empty()) line(out, "name", toml_quote(b.name));
  line(out, "capacity", toml_quote(plain(b.capacity_c / 3.6, 6) + " mAh"));
  if (b.voltage > 0) line(out, "voltage", toml_quote(quantity_text(b.voltage, Dimension::voltage)));
  if (b.reserve > 0)
    line(out, "cutoff_reserve", toml_quote(quantity_text(b.reserve, Dimension::ratio)));
  if (b.margin > 0) line(out, "margin", toml_quote(quantity_text(b.margin, Dimension::ratio)));
  if (b.self_discharge_hz > 0) {
    // k = -ln(1 - p) / year
    const double p = 1 - std::exp(-b.self_discharge_hz * kYear);
    line(out, "self_discharge", toml_quote(plain(p * 100, 6) + " %/y"));
  }
  return out;
}

std::string budget_text(const Budget& budget, const std::string& duty_name,
                        const std::string& battery_name) {
  std::string out = "kuvio = \"budget/1\"\n";
  line(out, "name", toml_quote(budget.name));
  if (budget.supply > 0)
    line(out, "supply", toml_quote(quantity_text(budget.supply, Dimension::voltage, 4)));
  line(out, "recipe", toml_quote(budget.recipe_file));
  for (const Limit& l : budget.limits) out += "\n" + limit_block(l, duty_name, battery_name);
  return out;
}

std::string limit_block(const Limit& l, const std::string& duty_name,
                        const std::string& battery_name) {
  std::string out = "[[limit]]\n";
  if (l.scope == Scope::state) line(out, "state", toml_quote(l.state));
  if (l.scope == Scope::whole) line(out, "whole", "true");
  if (l.scope == Scope::field) {
    line(out, "field", "true");
    line(out, "duty", toml_quote(duty_name));
  }
  const LimitQuantityInfo& quantity = info(l.quantity);
  std::string inner;
  const auto add = [&](const char* k, const std::string& v) {
    inner += (inner.empty() ? "" : ", ") + std::string(k) + " = " + toml_quote(v);
  };
  if (l.expect) add("expect", quantity_text(*l.expect, quantity.dimension, 3));
  if (l.max) add("max", quantity_text(*l.max, quantity.dimension, 4));
  if (l.min) add("min", quantity_text(*l.min, quantity.dimension, 4));
  if (l.statistic != quantity.usual) add("of", std::string(info(l.statistic).key));
  if (quantity.needs_battery) add("battery", battery_name);
  line(out, std::string(quantity.key), "{ " + inner + " }");
  return out;
}

}  // namespace kuvio::formats
