// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/bench_setup.h"

#include "core/accuracy.h"
#include "core/error.h"
#include "formats/toml_edit.h"
#include "formats/toml_file.h"

#include <fmt/format.h>

#include <cmath>
#include <filesystem>
#include <stdexcept>

namespace kuvio::acquire {
namespace {

using formats::toml_quote;
using formats::TomlTable;

template <typename Parse>
auto parsed(const TomlTable& t, const char* key, Parse parse) {
  try {
    return parse(t.string(key));
  } catch (const std::invalid_argument& e) {
    t.complain(e.what(), key);
  }
}

std::optional<double> positive(const TomlTable& t, const char* key, Dimension dimension) {
  const auto value = t.optional_quantity(key, dimension);
  if (value && !(*value > 0)) t.complain(fmt::format("\"{}\" must be greater than zero", key), key);
  return value;
}

void refuse(const TomlTable& t, const char* key, const std::string& why) {
  if (!why.empty()) t.complain(why, key);
}

OutputSettings read_output(const TomlTable& t) {
  t.expect({"name", "voltage", "current_limit", "on_over_current", "on", "on_after", "off_at_end",
            "off_on_failure", "never_above"});
  OutputSettings out;
  out.voltage = t.optional_quantity("voltage", Dimension::voltage);
  out.current_limit = positive(t, "current_limit", Dimension::current);
  if (const auto what = t.optional_string("on_over_current")) {
    if (*what != "limit" && *what != "switch off")
      t.complain("\"on_over_current\" is limit or switch off", "on_over_current");
    out.cut_off = *what == "switch off";
  }
  if (const auto ceiling = t.optional_table("never_above")) {
    ceiling->expect({"voltage", "current"});
    out.never_above.voltage = positive(*ceiling, "voltage", Dimension::voltage);
    out.never_above.current = positive(*ceiling, "current", Dimension::current);
    if (out.voltage) refuse(t, "voltage", out.never_above.refuses_voltage(*out.voltage));
    if (out.current_limit)
      refuse(t, "current_limit", out.never_above.refuses_current(*out.current_limit));
  }
  out.power_on = t.boolean("on", false);
  out.on_after_s = positive(t, "on_after", Dimension::time).value_or(0);
  out.power_off = t.boolean("off_at_end", false);
  out.off_on_failure = t.boolean("off_on_failure", true);
  return out;
}

void read_input(const TomlTable& t, BenchSetup& out, double rate_hz) {
  t.expect({"address", "profile", "rate", "channels", "logic", "range", "lines", "line_level",
            "reconnect", "output"});
  InputConfig request;
  try {
    request.endpoint = parse_endpoint(t.string("address"));
  } catch (const Error& e) {
    t.complain(e.why(), "address");
  }
  if (request.endpoint.is_log()) t.complain("a device log belongs under [log]", "address");
  InputSettings& s = request.settings;
  if (const auto profile = t.optional_string("profile")) {
    s.profiles.push_back(read_profile(t.beside(*profile)));
    out.profiles[request.endpoint.text] = t.beside(*profile);
  }
  s.rate_hz = positive(t, "rate", Dimension::frequency).value_or(rate_hz);
  if (t.has("channels")) s.channels = t.strings("channels");
  if (t.has("logic")) s.logic = t.strings("logic");
  if (const auto ranges = t.optional_table("range")) {
    for (const std::string& channel : ranges->keys()) s.range[channel] = ranges->string(channel);
  }
  if (const auto lines = t.optional_table("lines")) {
    for (const std::string& line : lines->keys()) {
      const std::string level = lines->string(line);
      if (level != "high" && level != "low") lines->complain("a line is high or low", line);
      s.lines[line] = level == "high";
    }
  }
  s.line_level = positive(t, "line_level", Dimension::voltage);
  s.reconnect_s = t.optional_quantity("reconnect", Dimension::time).value_or(0);
  if (!(s.reconnect_s >= 0 && s.reconnect_s <= 86400))
    t.complain("\"reconnect\" is at most a day", "reconnect");
  for (const TomlTable& o : t.tables("output")) {
    const std::string name = o.optional_string("name").value_or("");
    if (!s.outputs.emplace(name, read_output(o)).second)
      o.complain("there are two outputs \"" + name + "\"");
  }
  out.record.inputs.push_back(std::move(request));
}

void read_channel(const TomlTable& t, RecordSettings& out) {
  t.expect({"name", "gain", "offset", "shunt", "accuracy"});
  const std::string name = t.string("name");
  if (const auto shunt = positive(t, "shunt", Dimension::resistance)) {
    if (t.has("gain")) t.complain("a shunt is a gain: give one of them", "gain");
    out.shunts[name] = *shunt;
  }
  book::Calibration c;
  if (const auto gain = t.optional_string("gain")) {
    std::size_t end = 0;
    try {
      c.gain = std::stod(*gain, &end);
    } catch (const std::exception&) {
      end = 0;
    }
    if (end != gain->size() || !std::isfinite(c.gain) || c.gain == 0)
      t.complain("\"gain\" is a number such as \"1.002\"", "gain");
  }
  if (t.has("offset")) {
    c.offset = parsed(t, "offset", [](const std::string& text) {
      try {
        return parse_quantity(text, Dimension::current);
      } catch (const std::invalid_argument&) {
        return parse_quantity(text, Dimension::voltage);
      }
    });
  }
  if (!c.identity()) {
    c.text = "by the bench set-up";
    out.calibration[name] = c;
  }
  if (t.has("accuracy")) {
    parsed(t, "accuracy", [](const std::string& text) { return parse_accuracy(text); });
    out.accuracies[name] = t.string("accuracy");
  }
}

void read_recording(const TomlTable& t, RecordSettings& out) {
  out.seconds = positive(t, "length", Dimension::time).value_or(0);
  if (t.has("start_on")) out.arm = parsed(t, "start_on", parse_trigger);
  if (t.has("stop_on")) out.until = parsed(t, "stop_on", parse_trigger);
  if (t.has("reset")) out.reset = parsed(t, "reset", parse_reset);
  out.before_s = t.optional_quantity("pre_trigger", Dimension::time).value_or(0);
  if (!(out.before_s >= 0 && out.before_s <= 600))
    t.complain("\"pre_trigger\" is at most 600 s", "pre_trigger");
  if (out.before_s > 0 && !out.arm.wanted())
    t.complain("\"pre_trigger\" needs \"start_on\"", "pre_trigger");
  out.until_charge = positive(t, "stop_charge", Dimension::charge).value_or(0);
  if (const auto conditions = t.optional_table("conditions")) {
    for (const std::string& key : conditions->keys()) out.conditions[key] = conditions->string(key);
  }
}

// --- writing -----------------------------------------------------------------------------------

class Text {
public:
  void key(const char* name, const std::string& value) {
    out_ += fmt::format("{} = {}\n", name, toml_quote(value));
  }
  void quantity(const char* name, double value, const char* unit) {
    key(name, fmt::format("{:.12g} {}", value, unit));
  }
  void flag(const char* name, bool value) { out_ += fmt::format("{} = {}\n", name, value); }
  void list(const char* name, const std::vector<std::string>& values) {
    if (values.empty()) return;
    std::string all;
    for (const std::string& v : values) all += (all.empty() ? "" : ", ") + toml_quote(v);
    out_ += fmt::format("{} = [{}]\n", name, all);
  }
  void table(const char* name, const std::map<std::string, std::string>& values) {
    if (values.empty()) return;
    std::string all;
    for (const auto& [k, v] : values)
      all += fmt::format("{}{} = {}", all.empty() ? "" : ", ", toml_quote(k), toml_quote(v));
    out_ += fmt::format("{} = {{ {} }}\n", name, all);
  }
  void header(const char* name) { out_ += fmt::format("\n{}\n", name); }
  std::string take() { return std::move(out_); }

private:
  std::string out_;
};

void write_output(Text& out, const std::string& name, const OutputSettings& o) {
  out.header("[[input.output]]");
  if (!name.empty()) out.key("name", name);
  if (o.voltage) out.quantity("voltage", *o.voltage, "V");
  if (o.current_limit) out.quantity("current_limit", *o.current_limit, "A");
  if (o.cut_off) out.key("on_over_current", *o.cut_off ? "switch off" : "limit");
  std::map<std::string, std::string> ceiling;
  if (o.never_above.voltage) ceiling["voltage"] = fmt::format("{:.12g} V", *o.never_above.voltage);
  if (o.never_above.current) ceiling["current"] = fmt::format("{:.12g} A", *o.never_above.current);
  out.table("never_above", ceiling);
  out.flag("on", o.power_on);
  if (o.on_after_s > 0) out.quantity("on_after", o.on_after_s, "s");
  out.flag("off_at_end", o.power_off);
  out.flag("off_on_failure", o.off_on_failure);
}

void write_input(Text& out, const InputConfig& request, const std::string& profile) {
  const InputSettings& s = request.settings;
  out.header("[[input]]");
  out.key("address", request.endpoint.text);
  if (!profile.empty()) out.key("profile", profile);
  out.quantity("rate", s.rate_hz, "Hz");
  out.list("channels", s.channels);
  out.list("logic", s.logic);
  out.table("range", s.range);
  std::map<std::string, std::string> lines;
  for (const auto& [name, high] : s.lines) lines[name] = high ? "high" : "low";
  out.table("lines", lines);
  if (s.line_level) out.quantity("line_level", *s.line_level, "V");
  if (s.reconnect_s > 0) out.quantity("reconnect", s.reconnect_s, "s");
  for (const auto& [name, o] : s.outputs) write_output(out, name, o);
}

void write_channels(Text& out, const RecordSettings& r) {
  std::map<std::string, bool> names;
  for (const auto& [name, c] : r.calibration) names[name] |= !c.identity();
  for (const auto& [name, text] : r.accuracies) names[name] = true;
  for (const auto& [name, ohms] : r.shunts) names[name] = true;
  for (const auto& [name, any] : names) {
    if (!any) continue;
    out.header("[[channel]]");
    out.key("name", name);
    if (const auto it = r.shunts.find(name); it != r.shunts.end())
      out.quantity("shunt", it->second, "Ohm");
    if (const auto it = r.calibration.find(name); it != r.calibration.end()) {
      if (it->second.gain != 1) out.key("gain", fmt::format("{:.12g}", it->second.gain));
      if (it->second.offset != 0) out.quantity("offset", it->second.offset, "A");
    }
    if (const auto it = r.accuracies.find(name); it != r.accuracies.end())
      out.key("accuracy", it->second);
  }
}

}  // namespace

BenchSetup parse_bench_setup(const std::string& text, const std::string& file) {
  const TomlTable t = TomlTable::text(text, file, "bench");
  t.expect({"kuvio", "name", "rate", "accuracy", "length", "start_on", "pre_trigger", "stop_on",
            "stop_charge", "reset", "conditions", "input", "log", "channel"});
  BenchSetup out;
  out.file = file;
  out.name = t.string("name");
  const double rate = positive(t, "rate", Dimension::frequency).value_or(1000);
  if (t.has("accuracy")) {
    parsed(t, "accuracy",
           [](const std::string& a) { return parse_accuracy(a, Dimension::current); });
    out.record.accuracy = t.string("accuracy");
  }
  read_recording(t, out.record);
  for (const TomlTable& i : t.tables("input")) read_input(i, out, rate);
  if (out.record.inputs.empty()) t.complain("a bench set-up needs an [[input]]");
  for (const TomlTable& c : t.tables("channel")) read_channel(c, out.record);
  if (const auto log = t.optional_table("log")) {
    log->expect({"address"});
    try {
      out.record.log = parse_endpoint(log->string("address"));
    } catch (const Error& e) {
      log->complain(e.why(), "address");
    }
    if (!out.record.log->is_log())
      log->complain("a device log looks like log+serial:/dev/ttyUSB0?baud=115200", "address");
  }
  return out;
}

BenchSetup read_bench_setup(const std::string& file) {
  return parse_bench_setup(formats::read_text_file(file), file);
}

std::string write_bench_setup(const BenchSetup& setup, const std::string& file) {
  const RecordSettings& r = setup.record;
  Text out;
  out.key("kuvio", "bench/1");
  out.key("name", setup.name);
  if (!r.accuracy.empty()) out.key("accuracy", r.accuracy);
  if (r.seconds > 0) out.quantity("length", r.seconds, "s");
  if (r.arm.wanted()) out.key("start_on", to_string(r.arm));
  if (r.before_s > 0) out.quantity("pre_trigger", r.before_s, "s");
  if (r.until.wanted()) out.key("stop_on", to_string(r.until));
  if (r.until_charge > 0) out.quantity("stop_charge", r.until_charge, "C");
  if (r.reset) out.key("reset", to_string(*r.reset));
  out.table("conditions", r.conditions);
  for (const InputConfig& request : r.inputs) {
    const auto it = setup.profiles.find(request.endpoint.text);
    std::string profile;
    if (it != setup.profiles.end()) {
      std::error_code failed;
      const auto near = std::filesystem::path(file).parent_path();
      profile = std::filesystem::proximate(it->second, near.empty() ? "." : near, failed).string();
      if (failed) profile = it->second;
    }
    write_input(out, request, profile);
  }
  if (r.log) {
    out.header("[log]");
    out.key("address", r.log->text);
  }
  write_channels(out, r);
  return out.take();
}

}  // namespace kuvio::acquire
