// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/monitor.h"

#include "core/error.h"

#include <fmt/format.h>

#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;
constexpr auto kEvery = std::chrono::milliseconds(100);
constexpr double kKept = 10;  // s
constexpr std::size_t kTold = 50, kLines = 10000;

}  // namespace

Monitor::Monitor(Endpoint output, std::optional<Endpoint> log)
    : output_(std::move(output)), log_(std::move(log)) {
  thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
  if (log_) log_thread_ = std::jthread([this](const std::stop_token& stop) { watch_log(stop); });
}

Monitor::~Monitor() = default;

void Monitor::order(std::string command) {
  const std::lock_guard lock(mutex_);
  orders_.push_back(std::move(command));
}
void Monitor::set_voltage(double volts) { order(fmt::format("VOLT {:.6g}", volts)); }
void Monitor::set_current_limit(double amperes) { order(fmt::format("CURR {:.6g}", amperes)); }
void Monitor::set_cut_off(bool cut_off) {
  order(cut_off ? "CURR:PROT:STAT ON" : "CURR:PROT:STAT OFF");
}
void Monitor::switch_output(bool on) { order(on ? "OUTP ON" : "OUTP OFF"); }

void Monitor::send(const std::string& line) {
  const std::lock_guard lock(mutex_);
  lines_to_send_.push_back(line);
}

MonitorState Monitor::state() const {
  const std::lock_guard lock(mutex_);
  MonitorState out = state_;
  out.readings.assign(readings_.begin(), readings_.end());
  out.silent_s = std::chrono::duration<double>(Clock::now() - answered_).count();
  return out;
}

std::vector<DeviceLine> Monitor::take_lines() {
  const std::lock_guard lock(mutex_);
  return std::exchange(lines_, {});
}

std::vector<std::string> Monitor::take_told() {
  const std::lock_guard lock(mutex_);
  return std::exchange(told_, {});
}

void Monitor::read_settings(Scpi& scpi) {
  const double volts = scpi.query_number("VOLT?"), limit = scpi.query_number("CURR?");
  const bool cut_off = scpi.query_on("CURR:PROT:STAT?");
  const std::lock_guard lock(mutex_);
  state_.set_voltage = volts;
  state_.current_limit = limit;
  state_.cut_off = cut_off;
}

void Monitor::read_once(Scpi& scpi, double at_s) {
  LiveReading reading{at_s, scpi.query_number("MEAS:CURR?"), scpi.query_number("MEAS:VOLT?")};
  const bool on = scpi.query_on("OUTP?");
  const auto errors = scpi.errors();
  const std::lock_guard lock(mutex_);
  state_.output_on = on;
  readings_.push_back(reading);
  while (readings_.front().at_s < at_s - kKept) readings_.pop_front();
  told_.insert(told_.end(), errors.begin(), errors.end());
  if (told_.size() > kTold) told_.erase(told_.begin(), told_.end() - kTold);
  answered_ = Clock::now();
}

void Monitor::run(const std::stop_token& stop) {
  const auto begun = Clock::now();
  try {
    Scpi scpi(open_link(output_), output_.text);
    const std::string identity = scpi.query("*IDN?");
    scpi.send("*CLS");
    const bool on = scpi.query_on("OUTP?");
    read_settings(scpi);
    {
      const std::lock_guard lock(mutex_);
      state_.identity = identity;
      state_.found_on = state_.output_on = on;
      state_.phase = MonitorState::Phase::ready;
      answered_ = Clock::now();
    }
    while (!stop.stop_requested()) {
      std::vector<std::string> orders;
      {
        const std::lock_guard lock(mutex_);
        orders.swap(orders_);
      }
      for (const std::string& command : orders) {
        // A protection that has tripped is set back only by an order to switch on again.
        if (command == "OUTP ON") scpi.send("OUTP:PROT:CLE");
        scpi.send(command);
        scpi.query("*OPC?");
      }
      read_once(scpi, std::chrono::duration<double>(Clock::now() - begun).count());
      if (!orders.empty()) read_settings(scpi);
      std::this_thread::sleep_for(kEvery);
    }
  } catch (const Error& e) {
    const std::lock_guard lock(mutex_);
    state_.phase = MonitorState::Phase::lost;
    state_.trouble = e.what();
  }
}

void Monitor::watch_log(const std::stop_token& stop) {
  try {
    LogInput log(*log_);
    while (!stop.stop_requested()) {
      std::vector<std::string> lines;
      {
        const std::lock_guard lock(mutex_);
        lines.swap(lines_to_send_);
      }
      for (const std::string& line : lines) log.send(line);
      std::vector<DeviceLine> fresh = log.take();
      if (const auto failure = log.failure()) {
        const std::lock_guard lock(mutex_);
        state_.trouble = "The device log was lost: " + *failure;
        return;
      }
      {
        const std::lock_guard lock(mutex_);
        lines_.insert(lines_.end(), fresh.begin(), fresh.end());
        if (lines_.size() > kLines) lines_.erase(lines_.begin(), lines_.end() - kLines);
      }
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    log.stop();
  } catch (const Error& e) {
    const std::lock_guard lock(mutex_);
    state_.trouble = std::string("The device log was lost: ") + e.what();
  }
}

}  // namespace kuvio::acquire
