// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/analyser_input.h"

#include "core/error.h"

#include <fmt/format.h>

#include <cmath>
#include <utility>

namespace kuvio::acquire {
namespace {
constexpr std::int64_t kFetch = 32768;
constexpr const char *kSwitchOn = "switch its output on", *kSwitchOff = "switch its output off";
constexpr auto kPoll = std::chrono::milliseconds(20);
}  // namespace

AnalyserInput::AnalyserInput(const Endpoint& endpoint, const AnalyserSettings& settings)
    : where_(endpoint.text),
      scpi_(open_link(endpoint), endpoint.text),
      settings_(settings),
      ring_(static_cast<std::size_t>(std::max(4e6, settings.rate_hz * 8))) {
  identity_ = scpi_.query("*IDN?");
  scpi_.send("ABOR");  // whoever logged before may have died over it
  scpi_.send("*CLS");
  found_on_ = scpi_.query_on("OUTP?");
  output_on_ = found_on_;
  if (settings_.voltage) {
    scpi_.send(fmt::format("VOLT {:.6g}", *settings_.voltage));
    refuse_on_error("set the voltage");
  }
  if (settings_.current_limit) {
    scpi_.send(fmt::format("CURR {:.6g}", *settings_.current_limit));
    refuse_on_error("set the current limit");
  }
  if (settings_.cut_off) {
    scpi_.send(*settings_.cut_off ? "CURR:PROT:STAT ON" : "CURR:PROT:STAT OFF");
    refuse_on_error("set what it does on over-current");
  }
  scpi_.send("SENS:CURR:RANG AUTO");
  scpi_.send("FORM REAL,32");
  scpi_.send(fmt::format("SENS:SWE:TINT {:.9g}", 1 / settings_.rate_hz));
  refuse_on_error("set range, format and rate");
  interval_s_ = scpi_.query_number("SENS:SWE:TINT?");
  if (!(interval_s_ > 0))
    throw Error(Failure::bad_data, "garbled answer", where_, "a logging interval of zero");
  voltage_ = scpi_.query_number("VOLT?");
}

AnalyserInput::~AnalyserInput() = default;

void AnalyserInput::refuse_on_error(const std::string& doing) {
  const auto errors = scpi_.errors();
  if (!errors.empty()) {
    throw Error(Failure::unavailable, "input refused to " + doing, where_,
                "it answered " + errors.front());
  }
}

std::int64_t AnalyserInput::logged(std::int64_t* oldest) {
  const std::string answer = scpi_.query("FETC:ARR:POIN?");
  const auto comma = answer.find(',');
  try {
    if (comma == std::string::npos) throw std::invalid_argument("no comma");
    if (oldest) *oldest = std::stoll(answer.substr(0, comma));
    return std::stoll(answer.substr(comma + 1));
  } catch (const std::exception&) {
    throw Error(Failure::bad_data, "garbled answer", where_,
                "FETC:ARR:POIN? was answered by \"" + answer.substr(0, 60) + "\"");
  }
}

void AnalyserInput::start() {
  const auto before = std::chrono::steady_clock::now();
  scpi_.send("INIT");
  scpi_.query("*OPC?");
  started_ = before + (std::chrono::steady_clock::now() - before) / 2;
  refuse_on_error("start logging");
  thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

void AnalyserInput::switch_output(bool on) {
  SwitchReport report;
  report.on = on;
  report.earliest = logged();
  scpi_.send(on ? "OUTP ON" : "OUTP OFF");
  scpi_.query("*OPC?");
  report.latest = logged() + 1;
  output_on_ = on;
  {
    const std::lock_guard lock(mutex_);
    switches_.push_back(report);
  }
  refuse_on_error(on ? kSwitchOn : kSwitchOff);
}

/// A refusal to switch is told and the capture goes on: nothing else depends on it.
void AnalyserInput::switch_as_asked(bool on) {
  try {
    switch_output(on);
  } catch (const Error& e) {
    if (e.happened() != "input refused to " + std::string(on ? kSwitchOn : kSwitchOff)) throw;
    output_on_ = !on;
    const std::lock_guard lock(mutex_);
    switches_.pop_back();
    notes_.push_back(e.what());
  }
}

Packet AnalyserInput::fetch(std::int64_t first, std::int64_t count) {
  const std::string range = fmt::format(" {},{}", first, count);
  Packet out{first, scpi_.query_floats("FETC:ARR:CURR?" + range), {}, {}};
  const auto beside = [&](const char* query) {
    std::vector<float> values = scpi_.query_floats(query + range);
    // Overrun between the two: only what both have is taken.
    if (values.size() < out.values.size()) out.values.resize(values.size());
    return values;
  };
  if (settings_.record_voltage) out.volts = beside("FETC:ARR:VOLT?");
  if (!settings_.logic.empty()) out.logic = beside("FETC:ARR:DIG?");
  return out;
}

void AnalyserInput::run(const std::stop_token& stop) {
  try {
    if (settings_.power_on && !found_on_) switch_output(true);
    while (!stop.stop_requested()) {
      if (const int wanted = wanted_output_.exchange(-1); wanted >= 0) switch_as_asked(wanted == 1);
      std::int64_t oldest = 0;
      const std::int64_t end = logged(&oldest);
      next_ = std::max(next_, oldest);  // the recorder sees the jump in the packets' numbers
      while (next_ < end && !stop.stop_requested()) {
        const std::int64_t n = std::min(kFetch, end - next_);
        if (!ring_.has_room(static_cast<std::size_t>(n))) break;
        Packet packet = fetch(next_, n);
        if (packet.values.empty()) break;  // overrun in the meantime: ask again what is there
        next_ += static_cast<std::int64_t>(packet.values.size());
        ring_.push(std::move(packet));
      }
      std::this_thread::sleep_for(kPoll);
    }
    scpi_.send("ABOR");
    if (settings_.power_off) {
      scpi_.send("OUTP OFF");
      output_on_ = false;
    }
    const auto errors = scpi_.errors();
    const std::lock_guard lock(mutex_);
    for (const std::string& e : errors) notes_.push_back("the input told of " + e);
  } catch (const Error& e) {
    const std::lock_guard lock(mutex_);
    failure_ = e.what();
  }
  ended_.store(true, std::memory_order_release);
}

void AnalyserInput::stop() {
  if (!thread_.joinable()) return;
  thread_.request_stop();
  thread_.join();
}

std::vector<SwitchReport> AnalyserInput::take_switches() {
  const std::lock_guard lock(mutex_);
  return std::exchange(switches_, {});
}

std::vector<std::string> AnalyserInput::take_notes() {
  const std::lock_guard lock(mutex_);
  return std::exchange(notes_, {});
}

std::optional<std::string> AnalyserInput::failure() const {
  const std::lock_guard lock(mutex_);
  return failure_;
}

}  // namespace kuvio::acquire
