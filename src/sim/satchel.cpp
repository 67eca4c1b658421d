// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/satchel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <utility>

namespace kuvio::sim {
namespace {

constexpr double kWakeEvery = 60, kUplinkEvery = 21600, kBrownOut = 2.2;
constexpr double kHeld = 0.006, kReset = 0.18;  // s
constexpr double kInReset = 45e-6;              // A
constexpr int kPulses = 6;
constexpr double kPulse = 0.0156, kPulseGap = 0.2344;  // 6 (pulse + gap) = 1.5 s

}  // namespace

Firmware firmware(const std::string& version) {
  if (version == "2.3.0") return {version, 3.1e-6, 2.0};
  if (version == "2.4.0-rc1") return {version, 38e-6, 1.0};  // leaves the flash chip awake
  if (version == "2.4.0-rc2") return {version, 3.1e-6, 1.0};
  throw std::invalid_argument("no build \"" + version +
                              "\"; there are 2.3.0, 2.4.0-rc1 and 2.4.0-rc2");
}

Satchel::Satchel(Firmware firmware, std::uint64_t seed)
    : firmware_(std::move(firmware)), random_(seed * 2654435761U + 17), fixes_(seed * 40503U + 5) {
  // A watch crystal is off by some ppm, and wakes by its own time.
  clock_ppm_ = std::uniform_real_distribution<double>(-40, 40)(random_);
  stretches_.push_back({"Off", 0, 0, 0});
}

double Satchel::jitter(double relative) {
  return 1 + relative * std::clamp(std::normal_distribution<double>()(random_), -2.5, 2.5);
}

/// The radio and the locator hold their power, so draw more at less voltage; the rest is nearly
/// resistive.
double Satchel::supply_factor(const std::string& state) const {
  const double ratio = volts_ / 3.6;
  return state == "Uplink" || state == "Locate" ? 1 / ratio : state == "Hibernate" ? ratio : 1;
}

void Satchel::say(double t, const std::string& line) {
  if (print) print(t, t - booted_, line);
}

void Satchel::close_last(double t) {
  stretches_.back().to_s = t;
  planned_to_ = t;
}

void Satchel::push(const Task& task) {
  const double factor = supply_factor(task.state);
  Stretch s{task.state,
            planned_to_,
            planned_to_ + task.seconds,
            task.level_a * factor,
            task.ripple_a * factor,
            0};
  if (task.ripple_hz > 0) {
    // Whole periods, so that the ripple has no mean.
    const double periods = std::max(1.0, std::round(task.ripple_hz * task.seconds));
    s.ripple_hz = periods / task.seconds;
  }
  if (!task.line.empty()) say(s.from_s, task.line);
  if (s.level_a > limit_) return brown_out(s);
  planned_to_ = s.to_s;
  stretches_.push_back(s);
}

/// Its feed holds the limit: the voltage falls away while its capacitor lasts, the device is reset,
/// and starts over once the voltage is back.
void Satchel::brown_out(const Stretch& wanted) {
  tasks_.clear();
  Stretch held{"Held", wanted.from_s, wanted.from_s + kHeld, limit_, 0, 0};
  Stretch reset{"Reset", held.to_s, held.to_s + kReset, 0, 0, 0};
  stretches_.push_back(held);
  stretches_.push_back(reset);
  planned_to_ = reset.to_s;
  tasks_.push_back(
      {"Boot", 1.2, 18e-3, 0, 0, "boot satchel " + firmware_.version + " (brown-out)"});
  booted_ = planned_to_;
  next_wake_ = planned_to_ + 20 * jitter(0.01);
}

void Satchel::set_limit(double now_s, int, double amperes) {
  advance(now_s);
  limit_ = amperes;
}

void Satchel::cut(double t) {
  while (stretches_.size() > 1 && stretches_.back().from_s >= t) stretches_.pop_back();
  tasks_.clear();
  close_last(t);
  now_ = std::min(now_, t);
}

void Satchel::power(double now_s, int, bool on) {
  advance(now_s);
  if (on == powered_) return;
  powered_ = on;
  tasks_.clear();
  close_last(now_s);
  if (on && in_reset_) {
    hold(now_s);
  } else if (on) {
    boot(now_s);
  } else {
    stretches_.push_back({"Off", now_s, now_s, 0});
  }
}

void Satchel::set_voltage(double now_s, int port, double volts) {
  advance(now_s);
  volts_ = volts;
  if (powered_ && volts_ < kBrownOut) power(now_s, port, false);
}

void Satchel::boot(double t, const std::string& why) {
  booted_ = t;
  next_wake_ = t + 20 * jitter(0.01);
  next_uplink_ = t + kUplinkEvery * jitter(0.01);
  uplink_wanted_ = false;
  wakes_ = 0;
  if (volts_ < kBrownOut) {
    powered_ = false;
    stretches_.push_back({"Off", t, t, 0});
    return;
  }
  push({"Boot", 1.2, 18e-3, 0, 0, "boot satchel " + firmware_.version + why});
}

/// In reset: only its pull-up and the supervisor draw anything.
void Satchel::hold(double t) { stretches_.push_back({"Reset", t, t, kInReset}); }

void Satchel::pin(double now_s, Pin which, bool high) {
  advance(now_s);
  if (which == Pin::wake && high) return command(now_s, "uplink");
  if (which != Pin::reset || high == !in_reset_) return;
  in_reset_ = !high;
  if (!powered_) return;
  cut(now_s);
  if (in_reset_) {
    hold(now_s);
  } else {
    boot(now_s, " (reset pin)");
  }
}

void Satchel::auxiliary(double now_s, bool on) {
  advance(now_s);
  if (std::exchange(service_, on) != on && powered_ && !in_reset_)
    say(now_s, on ? "service port: fed" : "service port: gone");
}

void Satchel::begin_round(bool uplink) {
  tasks_.push_back(
      {"Wake", 0.035 * jitter(0.01), 4e-3, 0, 0, uplink ? "wake: schedule" : "wake: timer"});
  if (!uplink) {
    ++wakes_;
    const double peak = 0.4 + 0.1 * static_cast<double>(wakes_ % 5);
    tasks_.push_back({"Sense", 0.8 * jitter(0.004), 0.8e-3, 0.12e-3, 25,
                      fmt::format("sense n=128 peak {:.1f} g", peak)});
    tasks_.push_back({"Store", 0.09 * jitter(0.01), 11e-3, 1.5e-3, 200,
                      fmt::format("store page 0x{:02x}", pages_++ & 0xff)});
    return;
  }
  ++fixes_done_;
  const double seconds = 3 + 5 * std::uniform_real_distribution<double>()(fixes_);
  const int satellites = 5 + static_cast<int>(fixes_() % 6);
  tasks_.push_back({"Locate", seconds, 28e-3, 1.6e-3, 1.7, "locate start"});
  std::string line = fmt::format("fix {:.1f} s, {} sats", seconds, satellites);
  const double stretch = jitter(0.002);
  for (int i = 0; i < kPulses; ++i) {
    tasks_.push_back(
        {"Uplink", kPulse * stretch, 220e-3, 0, 0, i == 0 ? line + "\nuplink start" : ""});
    tasks_.push_back({"Uplink", kPulseGap * stretch, 60e-3, 2e-3, 40, ""});
  }
  tasks_.push_back({"Linger", firmware_.linger_s * jitter(0.003), 7e-3, 0.4e-3, 12,
                    fmt::format("uplink done {} B\nlinger {:.1f} s", 380 + fixes_done_ * 16,
                                firmware_.linger_s)});
}

void Satchel::next_task() {
  if (!tasks_.empty()) {
    const Task task = tasks_.front();
    tasks_.pop_front();
    if (task.line.find('\n') != std::string::npos) {
      const auto cut = task.line.find('\n');
      say(planned_to_, task.line.substr(0, cut));
      Task rest = task;
      rest.line = task.line.substr(cut + 1);
      push(rest);
    } else {
      push(task);
    }
    return;
  }
  if (uplink_wanted_ || planned_to_ >= next_uplink_) {
    if (!uplink_wanted_) next_uplink_ += kUplinkEvery * jitter(0.01);
    uplink_wanted_ = false;
    begin_round(true);
    return;
  }
  if (planned_to_ >= next_wake_) {
    next_wake_ +=
        kWakeEvery * (1 + clock_ppm_ * 1e-6) + 0.004 * std::normal_distribution<double>()(random_);
    begin_round(false);
    return;
  }
  const double wake = std::min(next_wake_, next_uplink_);
  push({"Hibernate", std::max(1e-3, wake - planned_to_), firmware_.hibernate_a, 0, 0, "hibernate"});
}

void Satchel::advance(double to_s) {
  if (to_s < now_) return;
  now_ = to_s;
  if (!powered_ || in_reset_) {
    stretches_.back().to_s = std::max(stretches_.back().to_s, to_s);
    planned_to_ = stretches_.back().to_s;
    return;
  }
  while (planned_to_ <= to_s) next_task();
}

void Satchel::command(double now_s, const std::string& line) {
  advance(now_s);
  if (!powered_ || in_reset_) return;
  if (line == "uplink") {
    say(now_s, "ok uplink");
    uplink_wanted_ = true;
    // Asleep: the console wakes it at once. Busy: it follows when the round is done.
    if (stretches_.back().state == "Hibernate" && tasks_.empty()) {
      close_last(std::max(now_s, stretches_.back().from_s + 1e-3));
      advance(now_s);
    }
  } else if (line == "status") {
    say(now_s, fmt::format("ok wakes {} fixes {}", wakes_, fixes_done_));
  } else if (line == "version") {
    say(now_s, "ok " + firmware_.version);
  } else {
    say(now_s, "error: unknown command");
  }
}

unsigned Satchel::lines(double t) const {
  const std::string state = state_at(*this, 0, t);
  return (state == "Uplink" ? 1U : 0U) + (state == "Locate" ? 2U : 0U);
}

}  // namespace kuvio::sim
