// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/profile.h"

#include "acquire/shipped_profiles.h"
#include "core/accuracy.h"
#include "formats/toml_file.h"

#include <fmt/format.h>
#include <re2/re2.h>

#include <algorithm>
#include <array>
#include <stdexcept>

namespace kuvio::acquire {
namespace {

using formats::TomlTable;

std::string optional(const TomlTable& t, const char* key) {
  return t.optional_string(key).value_or("");
}

std::vector<std::string> list(const TomlTable& t, const char* key) {
  return t.has(key) ? t.strings(key) : std::vector<std::string>{};
}

/// A number may be written in any unit; `unit` is the one the instrument speaks.
Setting read_setting(const TomlTable& t, Dimension dimension) {
  t.expect({"set", "query", "unit", "min", "max"});
  Setting out;
  out.set = optional(t, "set");
  out.query = optional(t, "query");
  if (out.set.empty() && out.query.empty()) t.complain("\"set\", \"query\" or both are needed");
  if (!out.set.empty() && out.set.find("{}") == std::string::npos)
    t.complain("\"set\" needs {} as the place for the number", "set");
  if (const auto unit = t.optional_string("unit")) {
    try {
      out.factor = unit_factor(*unit, dimension);
    } catch (const std::invalid_argument& e) {
      t.complain(e.what(), "unit");
    }
  }
  out.min = t.optional_quantity("min", dimension);
  out.max = t.optional_quantity("max", dimension);
  if (out.min && out.max && *out.min > *out.max)
    t.complain("\"min\" must not be more than \"max\"", "min");
  return out;
}

Setting setting(const TomlTable& t, const char* key, Dimension dimension) {
  const auto table = t.optional_table(key);
  return table ? read_setting(*table, dimension) : Setting{};
}

StatusBits status(const TomlTable& t, const char* key) {
  const auto table = t.optional_table(key);
  if (!table) return {};
  table->expect({"query", "bit"});
  const std::string bit = table->optional_string("bit").value_or("0");
  if (bit.size() > 2 || bit.find_first_not_of("0123456789") != std::string::npos || bit.empty() ||
      std::stoi(bit) > 31)
    table->complain("\"bit\" must be \"0\" to \"31\"", "bit");
  return {table->string("query"), 1U << static_cast<unsigned>(std::stoi(bit))};
}

std::string accuracy_of(const TomlTable& t) {
  std::string text = optional(t, "accuracy");
  if (text.empty()) return text;
  try {
    parse_accuracy(text);
  } catch (const std::invalid_argument& e) {
    t.complain(e.what(), "accuracy");
  }
  return text;
}

OutputProfile read_output(const TomlTable& t) {
  t.expect({"name", "auxiliary", "on", "off", "state", "clear", "voltage", "current_limit",
            "on_over_current", "limited", "tripped"});
  OutputProfile out;
  out.auxiliary = t.boolean("auxiliary", false);
  out.name = optional(t, "name");
  out.on = t.string("on");
  out.off = t.string("off");
  out.state = optional(t, "state");
  out.clear = optional(t, "clear");
  out.voltage = setting(t, "voltage", Dimension::voltage);
  out.current_limit = setting(t, "current_limit", Dimension::current);
  if (const auto what = t.optional_table("on_over_current")) {
    what->expect({"switch_off", "limit", "query"});
    out.cut_off = what->string("switch_off");
    out.hold = what->string("limit");
    out.cut_off_state = optional(*what, "query");
  }
  out.limited = status(t, "limited");
  out.tripped = status(t, "tripped");
  return out;
}

LineProfile read_line(const TomlTable& t) {
  t.expect({"name", "high", "low", "query"});
  return {t.string("name"), t.string("high"), t.string("low"), optional(t, "query")};
}

ChannelProfile read_channel(const TomlTable& t) {
  t.expect({"name", "quantity", "unit", "query", "array", "accuracy", "samples", "lines", "range",
            "range_auto"});
  ChannelProfile out;
  out.name = t.string("name");
  out.quantity = quantity_of(t.optional_string("quantity").value_or("current"));
  const std::string unit = optional(t, "unit");
  if (out.quantity == Quantity::logic) {
    out.unit = "";
    const std::string lines = t.optional_string("lines").value_or("8");
    if (lines.empty() || lines.size() > 2 ||
        lines.find_first_not_of("0123456789") != std::string::npos || std::stoi(lines) < 1 ||
        std::stoi(lines) > 24)
      t.complain("\"lines\" must be \"1\" to \"24\"", "lines");
    out.lines = std::stoi(lines);
  } else if (out.quantity == Quantity::current || out.quantity == Quantity::voltage) {
    const Dimension d = info(out.quantity).dimension;
    out.unit = std::string(unit_symbol(d));
    try {
      if (!unit.empty()) out.factor = unit_factor(unit, d);
    } catch (const std::invalid_argument& e) {
      t.complain(e.what(), "unit");
    }
  } else {
    t.complain("\"quantity\" is current, voltage or logic", "quantity");
  }
  out.query = optional(t, "query");
  out.array = optional(t, "array");
  if (out.query.empty() && out.array.empty()) t.complain("\"query\", \"array\" or both are needed");
  out.accuracy = accuracy_of(t);
  const std::string samples = t.optional_string("samples").value_or("averaged");
  if (samples != "averaged" && samples != "instant")
    t.complain("\"samples\" is averaged or instant", "samples");
  out.instant = samples == "instant";
  out.range_auto = optional(t, "range_auto");
  for (const TomlTable& r : t.tables("range")) {
    r.expect({"name", "set", "accuracy"});
    out.ranges.push_back({r.string("name"), r.string("set"), accuracy_of(r)});
  }
  return out;
}

LogProfile read_log(const TomlTable& t) {
  t.expect({"interval", "rate", "setup", "start", "stop", "ready", "ready_returns", "format",
            "max_count"});
  LogProfile out;
  if (t.has("interval") == t.has("rate")) t.complain("one of \"interval\" and \"rate\" is needed");
  out.interval_is_rate = t.has("rate");
  out.interval = out.interval_is_rate ? setting(t, "rate", Dimension::frequency)
                                      : setting(t, "interval", Dimension::time);
  out.setup = list(t, "setup");
  out.start = t.string("start");
  out.stop = optional(t, "stop");
  out.ready = t.string("ready");
  const std::string means = t.string("ready_returns");
  if (means == "oldest, end") {
    out.means = LogProfile::Ready::window;
  } else if (means == "count") {
    out.means = LogProfile::Ready::count;
  } else if (means == "waiting") {
    out.means = LogProfile::Ready::waiting;
  } else {
    t.complain("\"ready_returns\" is \"oldest, end\", \"count\" or \"waiting\"", "ready_returns");
  }
  using Format = LogProfile::Format;
  static const std::array<std::pair<const char*, Format>, 5> kFormats{
      {{"float32 little", Format::float32_little},
       {"float32 big", Format::float32_big},
       {"float64 little", Format::float64_little},
       {"float64 big", Format::float64_big},
       {"text", Format::text}}};
  const std::string format = t.string("format");
  const auto found = std::find_if(kFormats.begin(), kFormats.end(),
                                  [&](const auto& f) { return format == f.first; });
  if (found == kFormats.end()) {
    t.complain(
        "\"format\" is \"float32 little\", \"float32 big\", \"float64 little\", \"float64 big\" or "
        "\"text\"",
        "format");
  }
  out.format = found->second;
  if (const auto count = t.optional_string("max_count")) {
    if (count->empty() || count->size() > 7 ||
        count->find_first_not_of("0123456789") != std::string::npos || std::stoll(*count) < 1)
      t.complain("\"max_count\" must be a count such as \"4096\"", "max_count");
    out.max_count = std::stoll(*count);
  }
  return out;
}

JoinProfile read_join(const TomlTable& t, const Profile& in) {
  t.expect({"name", "outputs", "query", "series", "parallel", "without"});
  JoinProfile out;
  out.outputs = t.strings("outputs");
  out.query = t.string("query");
  out.series = optional(t, "series");
  out.parallel = optional(t, "parallel");
  out.without = list(t, "without");
  out.name = optional(t, "name");
  if (out.outputs.size() < 2) t.complain("\"outputs\" needs two or more", "outputs");
  if (out.series.empty() && out.parallel.empty())
    t.complain("\"series\", \"parallel\" or both are needed");
  for (const std::string& name : out.outputs) {
    if (std::none_of(in.outputs.begin(), in.outputs.end(),
                     [&](const OutputProfile& o) { return o.name == name; }))
      t.complain("there is no output \"" + name + "\"", "outputs");
  }
  for (const std::string& name : out.without) {
    if (std::none_of(in.channels.begin(), in.channels.end(),
                     [&](const ChannelProfile& c) { return c.name == name; }))
      t.complain("there is no channel \"" + name + "\"", "without");
  }
  if (!out.name.empty()) return out;
  for (const std::string& name : out.outputs) out.name += (out.name.empty() ? "" : "+") + name;
  return out;
}

/// What is allowed of several in a row; nothing where one of them does not say.
std::optional<double> sum_of_most(const std::vector<const Setting*>& all) {
  double sum = 0;
  for (const Setting* s : all) {
    if (!s->max) return std::nullopt;
    sum += *s->max;
  }
  return sum;
}

void read_protocol(const TomlTable& t, Profile& out) {
  t.expect({"terminator", "identity", "errors", "done", "timeout", "init"});
  const std::string end = t.optional_string("terminator").value_or("LF");
  if (end != "LF" && end != "CR" && end != "CRLF")
    t.complain("\"terminator\" is LF, CR or CRLF", "terminator");
  out.terminator = end == "LF" ? "\n" : end == "CR" ? "\r" : "\r\n";
  if (t.has("identity")) out.identity = t.string("identity");
  if (t.has("errors")) out.errors = t.string("errors");
  if (t.has("done")) out.done = t.string("done");
  if (const auto patience = t.optional_quantity("timeout", Dimension::time)) {
    if (!(*patience > 0 && *patience <= 600))
      t.complain("\"timeout\" must be greater than zero and at most 600 s", "timeout");
    out.timeout_s = *patience;
  }
  out.init = list(t, "init");
}

std::string replaced(std::string text, const std::string& place, const std::string& with) {
  for (auto at = text.find(place); at != std::string::npos; at = text.find(place, at + with.size()))
    text.replace(at, place.size(), with);
  return text;
}

}  // namespace

Profile parse_profile(const std::string& text, const std::string& file) {
  const TomlTable t = TomlTable::text(text, file, "profile");
  t.expect({"kuvio", "name", "match", "protocol", "output", "joined", "line", "line_level",
            "channel", "log"});
  Profile out;
  out.file = file;
  out.name = t.string("name");
  out.match = optional(t, "match");
  if (!out.match.empty() && !RE2(out.match, RE2::Quiet).ok())
    t.complain("\"match\" is not a regular expression", "match");
  if (const auto protocol = t.optional_table("protocol")) read_protocol(*protocol, out);
  for (const TomlTable& o : t.tables("output")) out.outputs.push_back(read_output(o));
  for (const TomlTable& l : t.tables("line")) out.lines.push_back(read_line(l));
  out.line_level = setting(t, "line_level", Dimension::voltage);
  for (const TomlTable& c : t.tables("channel")) out.channels.push_back(read_channel(c));
  if (const auto join = t.optional_table("joined")) out.join = read_join(*join, out);
  if (const auto log = t.optional_table("log")) out.log = read_log(*log);
  for (std::size_t i = 0; i < out.channels.size(); ++i) {
    const ChannelProfile& c = out.channels[i];
    for (std::size_t k = 0; k < i; ++k) {
      if (out.channels[k].name == c.name) t.complain("there are two channels \"" + c.name + "\"");
    }
    if (out.log && c.array.empty())
      t.complain("the profile has a [log], so channel \"" + c.name + "\" needs an \"array\"");
    if (!out.log && c.query.empty())
      t.complain("without a [log], channel \"" + c.name + "\" needs an \"query\"");
  }
  for (std::size_t i = 0; i < out.outputs.size(); ++i) {
    for (std::size_t k = 0; k < i; ++k) {
      if (out.outputs[k].name == out.outputs[i].name)
        t.complain("there are two outputs \"" + out.outputs[i].name + "\"");
    }
    if (out.outputs[i].auxiliary && out.outputs[i].name.empty())
      t.complain("an auxiliary output needs a \"name\"");
  }
  for (std::size_t i = 0; i < out.lines.size(); ++i) {
    for (std::size_t k = 0; k < i; ++k) {
      if (out.lines[k].name == out.lines[i].name)
        t.complain("there are two lines \"" + out.lines[i].name + "\"");
    }
  }
  // The first is what "the output" means.
  std::stable_partition(out.outputs.begin(), out.outputs.end(),
                        [](const OutputProfile& o) { return !o.auxiliary; });
  if (out.channels.empty() && out.outputs.empty())
    t.complain("a profile needs a [[channel]] or an [[output]]");
  return out;
}

std::string to_string(Joining joining) {
  switch (joining) {
    case Joining::series:
      return "in series";
    case Joining::parallel:
      return "in parallel";
    case Joining::apart:
      break;
  }
  return "";
}

Profile joined(Profile profile, Joining joining) {
  if (joining == Joining::apart || !profile.join) return profile;
  const JoinProfile& join = *profile.join;
  std::vector<const Setting*> voltages, limits;
  for (const OutputProfile& o : profile.outputs) {
    if (std::count(join.outputs.begin(), join.outputs.end(), o.name) == 0) continue;
    voltages.push_back(&o.voltage);
    limits.push_back(&o.current_limit);
  }
  const auto most_volts = sum_of_most(voltages), most_amperes = sum_of_most(limits);
  std::erase_if(profile.outputs, [&](const OutputProfile& o) {
    return o.name != join.outputs.front() &&
           std::count(join.outputs.begin(), join.outputs.end(), o.name) > 0;
  });
  for (OutputProfile& o : profile.outputs) {
    if (o.name != join.outputs.front()) continue;
    o.name = join.name;
    if (joining == Joining::series) o.voltage.max = most_volts;
    if (joining == Joining::parallel) o.current_limit.max = most_amperes;
  }
  std::erase_if(profile.channels, [&](const ChannelProfile& c) {
    return std::count(join.without.begin(), join.without.end(), c.name) > 0;
  });
  return profile;
}

Profile read_profile(const std::string& file) {
  return parse_profile(formats::read_text_file(file), file);
}

const std::vector<Profile>& shipped_profiles() {
  static const std::vector<Profile> kAll = [] {
    std::vector<Profile> out;
    for (const auto& [name, text] : kShippedProfiles) out.push_back(parse_profile(text, name));
    return out;
  }();
  return kAll;
}

const Profile& profile_for(const std::string& identity, const std::vector<Profile>& given) {
  const auto fits = [&](const Profile& p) {
    return !p.match.empty() && RE2::PartialMatch(identity, RE2(p.match, RE2::Quiet));
  };
  for (const Profile& p : given) {
    if (fits(p)) return p;
  }
  if (given.size() == 1 && given.front().match.empty()) return given.front();
  for (const Profile& p : shipped_profiles()) {
    if (fits(p)) return p;
  }
  return shipped_profiles().front();
}

Profile first_words(const std::vector<Profile>& given) {
  return given.size() == 1 ? given.front() : Profile{};
}

std::string filled(const std::string& command, double value) {
  return replaced(command, "{}", fmt::format("{:.9g}", value));
}

std::string filled(const std::string& command, std::int64_t first, std::int64_t count) {
  return replaced(replaced(command, "{first}", std::to_string(first)), "{count}",
                  std::to_string(count));
}

}  // namespace kuvio::acquire
