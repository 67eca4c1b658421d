// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/present.h"
#include "core/quantity.h"
#include "formats/json_results.h"

#include "command.h"
#include "recording.h"

#include <fmt/format.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <filesystem>
#include <memory>
#include <thread>

namespace kuvio::cli {
namespace {

std::atomic<bool> told_to_stop{false};

struct Options {
  std::string book, build, name, voltage, limit, rate = "1 kHz", accuracy, setup;
  std::vector<std::string> inputs, sends, conditions, profiles, logic;
  double seconds = 0, time_scale = 1;
  bool power_on = false, power_off = false, record_voltage = false;
};

Outcome run(const Options& o, bool json) {
  if (!o.setup.empty()) usage("--setup is not yet supported; name the inputs with --input");
  if (!o.profiles.empty())
    usage("--profile is not yet supported; the analyser is spoken to in generic SCPI");
  acquire::RecordSettings s;
  s.build = o.build;
  s.name = o.name.empty() ? (o.build.empty() ? "capture" : o.build) : o.name;
  bool analyser = false;
  for (const std::string& uri : o.inputs) {
    const acquire::Endpoint e = acquire::parse_endpoint(uri);
    if (e.speaks == "log") {
      if (s.log) usage("several device logs are not yet supported");
      s.log = e;
    } else {
      if (analyser) usage("several analysers are not yet supported");
      s.analyser = e;
      analyser = true;
    }
  }
  s.time_scale = o.time_scale;
  if (s.log && s.log->options.count("time_scale")) {
    s.time_scale =
        option_quantity("--input", s.log->options.at("time_scale"), Dimension::frequency);
    if (!(s.time_scale > 0)) usage("time_scale must be more than nothing");
  }
  if (!analyser) usage("name an analyser, as in --input scpi+tcp://HOST:PORT");
  if (o.seconds < 0) usage("--seconds cannot be negative");
  s.seconds = o.seconds;
  s.accuracy = option_accuracy(o.accuracy);
  s.conditions = option_conditions(o.conditions);
  s.setup.rate_hz = option_quantity("--rate", o.rate, Dimension::frequency);
  if (!(s.setup.rate_hz > 0)) usage("--rate must be more than nothing");
  if (!o.voltage.empty())
    s.setup.voltage = option_quantity("--voltage", o.voltage, Dimension::voltage);
  if (!o.limit.empty())
    s.setup.current_limit = option_quantity("--current-limit", o.limit, Dimension::current);
  s.setup.record_voltage = o.record_voltage;
  s.setup.logic = o.logic;
  for (const std::string& name : o.logic) {
    if (name.empty() || name == "I" || name == "V" ||
        std::count(o.logic.begin(), o.logic.end(), name) > 1)
      usage("--logic \"" + name + "\" is empty, taken or there twice");
  }
  s.setup.power_on = o.power_on;
  s.setup.power_off = o.power_off;
  for (const std::string& text : o.sends) s.sends.push_back(parse_send(text));
  if (!s.sends.empty() && !s.log)
    usage("--send needs a device log to send on, as in --input log+serial:/dev/…");

  const bool fresh = !std::filesystem::exists(o.book);
  book::Book book = book::Book::open(o.book, book::Book::Mode::create);
  acquire::RecordResult result;
  try {
    result = record_here(book, s);
  } catch (...) {
    if (fresh && book.captures().empty()) {  // nothing was recorded: leave nothing behind
      for (const char* tail : {"", "-wal", "-shm"}) ::unlink((o.book + tail).c_str());
    }
    throw;
  }
  for (const std::string& w : result.warnings) say(w);
  Outcome out;
  nlohmann::ordered_json entry = formats::to_json(book.capture(result.capture));
  entry["warnings"] = result.warnings;
  out.document["captures"] = nlohmann::ordered_json::array({entry});
  out.document["warnings"] = result.warnings;
  if (!json) {
    const book::CaptureInfo c = book.capture(result.capture);
    fmt::print("{}  {}  {}  {}\n", c.id, c.name, duration(c.duration_s()), result.end_reason);
  }
  if (result.interrupted) out.status = 69;
  return out;
}

}  // namespace

acquire::ScheduledLine parse_send(const std::string& text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos)
    usage("--send \"" + text + "\" is not \"TIME: LINE\", as in \"600 s: uplink\"");
  auto line = text.substr(colon + 1);
  line.erase(0, line.find_first_not_of(' ') == std::string::npos ? line.size()
                                                                 : line.find_first_not_of(' '));
  if (line.empty()) usage("--send \"" + text + "\" has no line to send");
  return {option_quantity("--send", text.substr(0, colon), Dimension::time), line};
}

acquire::RecordResult record_here(book::Book& book, const acquire::RecordSettings& settings) {
  told_to_stop = false;
  const auto handler = [](int) { told_to_stop.store(true); };
  auto* const old_int = std::signal(SIGINT, handler);
  auto* const old_term = std::signal(SIGTERM, handler);
  std::stop_source stop;
  std::jthread watch([&](const std::stop_token& done) {
    while (!done.stop_requested()) {
      if (told_to_stop) stop.request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
  });
  const bool terminal = ::isatty(2) != 0;
  const auto progress = [&](const acquire::RecordProgress& p) {
    if (terminal)
      fmt::print(stderr, "\r● {}  {} samples  {} log lines ", duration(p.recorded_s), p.samples,
                 p.log_lines);
  };
  const auto restore = [&] {
    std::signal(SIGINT, old_int);
    std::signal(SIGTERM, old_term);
    if (terminal) fmt::print(stderr, "\n");
  };
  try {
    auto result = acquire::record(book, settings, stop.get_token(), progress);
    restore();
    return result;
  } catch (...) {
    restore();
    throw;
  }
}

Runner add_capture(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book; made when it is missing")->required();
  app.add_option("--input", o->inputs, "scpi+tcp://HOST:PORT, log+serial:/dev/…?baud=115200");
  app.add_option("--setup", o->setup, "bench set-up file");
  app.add_option("--profile", o->profiles, "instrument profile");
  app.add_option("--seconds", o->seconds, "length of the capture; without it until told to stop");
  app.add_option("--build", o->build, "build under test");
  app.add_option("--name", o->name, "name of the capture");
  app.add_option("--rate", o->rate, "samples per second, as in \"1 kHz\"");
  app.add_option("--voltage", o->voltage, "supply voltage to set");
  app.add_option("--current-limit", o->limit, "current limit to set");
  app.add_option("--accuracy", o->accuracy, "of the current, as in \"0.08 % + 40 nA\"");
  app.add_flag("--power-on", o->power_on, "switch the output on once recording runs");
  app.add_flag("--power-off", o->power_off, "switch the output off at the end");
  app.add_flag("--record-voltage", o->record_voltage, "log the voltage beside the current");
  app.add_option("--logic", o->logic, "names of the digital lines to log, from bit 0 up");
  app.add_option("--send", o->sends,
                 "\"TIME: LINE\" to send to the device, as in \"600 s: uplink\"");
  app.add_option("--time-scale", o->time_scale,
                 "capture seconds per real second, of a simulated bench")
      ->check(CLI::Range(0.01, 100000.0));
  app.add_option("--condition", o->conditions, "KEY=VALUE");
  return [o](bool json) { return run(*o, json); };
}

}  // namespace kuvio::cli
