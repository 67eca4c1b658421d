// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/bench_setup.h"
#include "acquire/zero.h"
#include "core/number_text.h"
#include "core/quantity.h"
#include "formats/json_results.h"

#include "command.h"
#include "record_here.h"

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>
#include <memory>
#include <utility>

namespace kuvio::cli {
namespace {

struct Options {
  std::string book, build, name, voltage, limit, over_current, rate, accuracy, setup, arm, before,
      until, until_charge, zero, line_level, reset;
  std::vector<std::string> inputs, sends, conditions, profiles, logic, channels, ranges, outputs_on,
      lines, shunts;
  double seconds = 0, time_scale = 1, reconnect = 0;
  bool power_on = false, power_off = false, off_on_failure = false, record_voltage = false;
};

template <typename Parse>
auto option_text(const char* option, const std::string& text, Parse parse) {
  try {
    return parse(text);
  } catch (const std::invalid_argument& e) {
    usage(std::string(option) + " " + e.what());
  }
}

acquire::Trigger option_trigger(const char* option, const std::string& text) {
  return text.empty() ? acquire::Trigger{} : option_text(option, text, acquire::parse_trigger);
}

acquire::OutputSettings output_settings(const Options& o) {
  acquire::OutputSettings out;
  if (!o.voltage.empty()) out.voltage = option_quantity("--voltage", o.voltage, Dimension::voltage);
  if (!o.limit.empty())
    out.current_limit = option_quantity("--current-limit", o.limit, Dimension::current);
  if (!o.over_current.empty()) {
    if (o.over_current != "limit" && o.over_current != "switch-off")
      usage("--on-over-current is limit or switch-off");
    out.cut_off = o.over_current == "switch-off";
  }
  out.power_on = o.power_on;
  out.power_off = o.power_off;
  out.off_on_failure = o.off_on_failure;
  return out;
}

/// What every input is set up with; outputs are the first input's that has any.
acquire::InputSettings input_settings(const Options& o) {
  acquire::InputSettings out;
  if (!o.rate.empty()) out.rate_hz = option_quantity("--rate", o.rate, Dimension::frequency);
  if (!(out.rate_hz > 0)) usage("--rate must be greater than zero");
  for (const std::string& file : o.profiles) out.profiles.push_back(acquire::read_profile(file));
  out.reconnect_s = o.reconnect;
  for (const std::string& text : o.ranges) {
    const auto equals = text.find('=');
    if (equals == std::string::npos || equals == 0)
      usage("--range \"" + text + "\" is not CHANNEL=RANGE, e.g. \"I=10 mA\"");
    out.range[text.substr(0, equals)] = text.substr(equals + 1);
  }
  return out;
}

void add_inputs(const Options& o, acquire::RecordSettings& s) {
  const acquire::InputSettings common = input_settings(o);
  bool scpi = false;
  for (const std::string& uri : o.inputs) {
    const acquire::Endpoint e = acquire::parse_endpoint(uri);
    if (e.is_log()) {
      if (s.log) usage("several device logs are not yet supported");
      s.log = e;
      continue;
    }
    acquire::InputConfig request{e, common};
    if (e.is_instrument() && !scpi) {  // what is said of outputs, channels and lines is meant so
      scpi = true;
      request.settings.outputs[""] = output_settings(o);
      for (const std::string& name : o.outputs_on) {  // as the first, but for what is set
        request.settings.outputs[name].power_on = true;
        request.settings.outputs[name].power_off = o.power_off;
        request.settings.outputs[name].off_on_failure = o.off_on_failure;
      }
      for (const std::string& text : o.lines) {
        const acquire::SwitchCommand line = option_text("--line", text, acquire::parse_line_level);
        request.settings.lines[line.name] = line.on;
      }
      if (!o.line_level.empty())
        request.settings.line_level =
            option_quantity("--line-level", o.line_level, Dimension::voltage);
      request.settings.channels = o.channels;
      if (o.record_voltage && o.channels.empty()) request.settings.channels = {"I", "V"};
      request.settings.logic = o.logic;
    }
    s.inputs.push_back(std::move(request));
  }
  if (s.inputs.empty())
    usage("name an input, e.g. --input scpi+tcp://HOST:PORT, or a bench set-up with --setup");
  for (const std::string& text : o.shunts) {
    const auto equals = text.find('=');
    if (equals == std::string::npos || equals == 0)
      usage("--shunt \"" + text + "\" is not CHANNEL=RESISTANCE, e.g. \"V_shunt=100 mOhm\"");
    const double ohms = option_quantity("--shunt", text.substr(equals + 1), Dimension::resistance);
    if (!(ohms > 0)) usage("a shunt must be greater than zero");
    s.shunts[text.substr(0, equals)] = ohms;
  }
  const bool of_output = !o.voltage.empty() || !o.limit.empty() || !o.over_current.empty() ||
                         o.power_on || o.power_off || o.record_voltage || !o.logic.empty() ||
                         !o.lines.empty() || !o.line_level.empty() || !o.reset.empty();
  if (of_output && !scpi)
    usage(
        "--voltage, --current-limit, --on-over-current, --power-on, --power-off, "
        "--record-voltage, --logic, --line, --line-level and --reset need an input that speaks "
        "SCPI");
}

/// A bench set-up, and what the command line says otherwise: of the capture, of the rate, and of
/// whether its output is switched.
acquire::RecordSettings from_setup(const Options& o) {
  const bool wires = !o.inputs.empty() || !o.profiles.empty() || !o.channels.empty() ||
                     !o.ranges.empty() || !o.logic.empty() || !o.lines.empty() ||
                     !o.line_level.empty() || !o.voltage.empty() || !o.limit.empty() ||
                     !o.over_current.empty() || !o.outputs_on.empty() || !o.shunts.empty();
  if (wires) {
    usage(
        "--setup cannot be combined with --input, --profile, --channel, --range, --logic, --line, "
        "--line-level, --voltage, --current-limit, --on-over-current, --output-on or --shunt");
  }
  const acquire::BenchSetup setup = acquire::read_bench_setup(o.setup);
  acquire::RecordSettings s = setup.record;
  s.conditions.emplace("setup", setup.name);
  bool scpi = false;  // the first one's output is meant
  for (acquire::InputConfig& request : s.inputs) {
    if (!o.rate.empty())
      request.settings.rate_hz = option_quantity("--rate", o.rate, Dimension::frequency);
    if (o.reconnect > 0) request.settings.reconnect_s = o.reconnect;
    if (!request.endpoint.is_instrument() || std::exchange(scpi, true)) continue;
    if (!o.power_on && !o.power_off && !o.off_on_failure) continue;
    acquire::OutputSettings& first = request.settings.outputs[""];
    first.power_on |= o.power_on;
    first.power_off |= o.power_off;
    first.off_on_failure |= o.off_on_failure;
  }
  return s;
}

/// How much faster than real time a simulated bench runs: said apart, or in an address.
void take_time_scale(const Options& o, acquire::RecordSettings& s) {
  s.time_scale = o.time_scale;
  if (s.log && s.log->options.count("time_scale")) {
    s.time_scale =
        option_quantity("--input", s.log->options.at("time_scale"), Dimension::frequency);
  }
  for (const auto& request : s.inputs) {
    if (const std::string scale = request.endpoint.option("time_scale"); !scale.empty())
      s.time_scale = option_quantity("--input", scale, Dimension::frequency);
  }
  if (!(s.time_scale > 0)) usage("time_scale must be greater than zero");
}

/// What the capture begins and ends with.
void take_triggers(const Options& o, acquire::RecordSettings& s) {
  if (!o.arm.empty()) s.arm = option_trigger("--start-on", o.arm);
  if (!o.until.empty()) s.until = option_trigger("--stop-on", o.until);
  if (!o.before.empty()) s.before_s = option_quantity("--pre-trigger", o.before, Dimension::time);
  if (s.before_s < 0 || s.before_s > 600) usage("--pre-trigger is at most 600 s");
  if (s.before_s > 0 && !s.arm.wanted()) usage("--pre-trigger goes with --start-on");
  if (!o.until_charge.empty())
    s.until_charge = option_quantity("--stop-charge", o.until_charge, Dimension::charge);
}

acquire::RecordSettings settings_of(const Options& o) {
  acquire::RecordSettings s;
  if (!o.setup.empty()) {
    s = from_setup(o);
  } else {
    for (std::size_t i = 0; i < o.logic.size(); ++i) {
      const std::string& name = o.logic[i];
      if (name.empty() || name == "I" || name == "V" ||
          std::count(o.logic.begin(), o.logic.end(), name) > 1)
        usage("--logic \"" + name + "\" is empty, taken or there twice");
    }
    add_inputs(o, s);
  }
  s.build = o.build;
  s.name = o.name.empty() ? (o.build.empty() ? "capture" : o.build) : o.name;
  take_time_scale(o, s);
  if (o.seconds < 0) usage("--seconds cannot be negative");
  if (o.seconds > 0) s.seconds = o.seconds;
  if (!o.accuracy.empty()) s.accuracy = option_accuracy(o.accuracy);
  for (const auto& [key, value] : option_conditions(o.conditions)) s.conditions[key] = value;
  for (const std::string& text : o.sends) s.sends.push_back(parse_send(text));
  if (!s.sends.empty() && !s.log)
    usage("--send needs a device log to send on, e.g. --input log+serial:/dev/…");
  if (!o.reset.empty()) s.reset = option_text("--reset", o.reset, acquire::parse_reset);
  take_triggers(o, s);
  return s;
}

void zero(const Options& o, acquire::RecordSettings& s) {
  const double zero_s = option_quantity("--zero", o.zero, Dimension::time);
  if (!(zero_s > 0 && zero_s <= 600)) usage("--zero must be greater than zero and at most 600 s");
  say(fmt::format("zeroing for {}, with the device disconnected", duration(zero_s)));
  for (const acquire::Zero& z :
       acquire::measure_zero(s.inputs.front(), zero_s / s.time_scale, s.accuracy)) {
    s.calibration[z.channel] = z.calibration();
    if (!z.accuracy.empty()) s.accuracies[z.channel] = z.accuracy;
    say(z.channel + ": " + z.calibration().text);
  }
  s.conditions["zeroed"] = "yes";
}

Outcome outcome_of(const acquire::RecordResult& result, const book::Book& book, bool json) {
  Outcome out;
  if (result.capture == 0) {  // armed, and asked to stop
    out.document["captures"] = nlohmann::ordered_json::array();
    out.document["warnings"] = result.warnings;
    return out;
  }
  nlohmann::ordered_json entry = formats::to_json(book.capture(result.capture));
  entry["warnings"] = result.warnings;
  out.document["captures"] = nlohmann::ordered_json::array({entry});
  out.document["warnings"] = result.warnings;
  if (!json) {
    const book::CaptureInfo c = book.capture(result.capture);
    fmt::print("{}  {}  {}  {}\n", c.id, c.name, duration(c.duration_s()), result.end_reason);
  }
  if (result.interrupted) out.status = result.disk_full ? 74 : 69;
  return out;
}

Outcome run(const Options& o, bool json) {
  acquire::RecordSettings s = settings_of(o);
  if (!o.zero.empty()) zero(o, s);
  const bool fresh = !std::filesystem::exists(o.book);
  book::Book book = book::Book::open(o.book, book::Book::Mode::create);
  acquire::RecordResult result;
  try {
    result = record_here(book, s);
  } catch (...) {
    if (fresh) book::Book::remove_if_empty(std::move(book));  // nothing was recorded
    throw;
  }
  for (const std::string& w : result.warnings) say(w);
  if (!result.book.empty()) book = book::Book::open(result.book, book::Book::Mode::read);
  return outcome_of(result, book, json);
}

}  // namespace

Runner add_capture(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book; created if missing")->required();
  app.add_option("--input", o->inputs,
                 "scpi+tcp://HOST:PORT, stream+serial:/dev/…, lines:/path, sysfs:/sys/…, "
                 "log+serial:/dev/…?baud=115200; the first one's clock is the capture's");
  app.add_option("--setup", o->setup, "bench set-up file: *.bench.toml");
  app.add_option("--profile", o->profiles, "instrument profiles to choose from, by identity");
  app.add_option("--channel", o->channels, "channels of the SCPI input to record, by name");
  app.add_option("--range", o->ranges, "CHANNEL=RANGE of the profile, e.g. \"I=10 mA\"");
  app.add_option("--seconds", o->seconds, "length of the capture in s (default: until stopped)");
  app.add_option("--build", o->build, "build under test");
  app.add_option("--name", o->name, "name of the capture");
  app.add_option("--rate", o->rate, "sample rate, e.g. \"1 kHz\" (the default)");
  app.add_option("--voltage", o->voltage, "supply voltage to set");
  app.add_option("--current-limit", o->limit, "current limit to set");
  app.add_option("--on-over-current", o->over_current, "limit or switch-off");
  app.add_option("--start-on", o->arm,
                 "start on this trigger: \"I above 5 mA\", \"radio_on rising\", \"log: ^boot\"");
  app.add_option("--pre-trigger", o->before, "pre-trigger time to keep, e.g. \"2 s\"");
  app.add_option("--stop-on", o->until, "stop on this trigger");
  app.add_option("--stop-charge", o->until_charge,
                 "stop once this charge has flowed, e.g. \"5 mC\"");
  app.add_option(
      "--zero", o->zero,
      "zero the first input beforehand for this long, device disconnected, e.g. \"2 s\"");
  app.add_option("--reconnect", o->reconnect, "how long to retry a lost link, in s")
      ->check(CLI::Range(0.0, 86400.0));
  app.add_option("--accuracy", o->accuracy, "of the current, e.g. \"0.08 % + 40 nA\"");
  app.add_flag("--power-on", o->power_on, "switch the output on once recording runs");
  app.add_option("--output-on", o->outputs_on, "further outputs to switch on, by name");
  app.add_flag("--power-off", o->power_off, "switch the output off at the end");
  app.add_flag("--off-on-failure", o->off_on_failure, "switch the output off if the capture fails");
  app.add_flag("--record-voltage", o->record_voltage, "log the voltage beside the current");
  app.add_option("--logic", o->logic, "names of the digital lines to log, from bit 0 up");
  app.add_option("--shunt", o->shunts, "CHANNEL=RESISTANCE: convert a shunt voltage to current");
  app.add_option("--line", o->lines, "digital line to drive, e.g. \"wake=low\"");
  app.add_option("--line-level", o->line_level,
                 "logic-high voltage of driven lines, e.g. \"1.8 V\"");
  app.add_option("--reset", o->reset,
                 "reset the device once it is recorded: \"line reset low for 100 ms\", \"output "
                 "off for 1 s\"");
  app.add_option("--send", o->sends,
                 "\"TIME: LINE\" to send to the device, e.g. \"600 s: uplink\"");
  app.add_option("--time-scale", o->time_scale,
                 "capture seconds per real second, of a simulated bench")
      ->check(CLI::Range(0.01, 100000.0));
  app.add_option("--condition", o->conditions, "KEY=VALUE");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
