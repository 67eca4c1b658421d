// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/tally.h"

#include <fmt/format.h>

#include <algorithm>

namespace kuvio::sim {
namespace {

constexpr double kSetDown = 60;                    // s after the cell came on
constexpr double kCharge = 0.18, kCradle = 0.012;  // A into the cell; what the cradle itself takes
constexpr double kIdle = 9e-3, kScan = 85e-3, kSend = 0.14;

}  // namespace

Tally::Tally(std::uint64_t seed) : random_(seed * 7919U + 11) {
  for (auto& list : stretches_) list.push_back({"Off", 0, 0, 0});
}

void Tally::say(double t, const std::string& line) {
  if (print) print(t, t - booted_, line);
}

/// What the system draws comes from the cradle while it sits there, and the cell is charged; else
/// from the cell.
void Tally::push(const std::string& state, double seconds, double system_a) {
  const double a = planned_to_, b = a + seconds;
  const double cell = !powered_[0] ? 0 : docked() ? -kCharge : system_a;
  const double cradle = !powered_[1] ? 0 : docked() ? kCharge * 1.15 + system_a + kCradle : kCradle;
  const bool runs = powered_[0] || docked();
  stretches_[0].push_back({!powered_[0] ? "Off" : docked() ? "Charging" : state, a, b, cell});
  stretches_[1].push_back({!powered_[1] ? "Off"
                           : docked()   ? "Feeding"
                                        : "Waiting",
                           a, b, runs || !docked() ? cradle : 0});
  planned_to_ = b;
}

void Tally::plan() {
  if (!seated_ && planned_to_ >= seat_at_) {
    seated_ = true;
    seat_at_ = 1e300;
    say(planned_to_, "cradle: seated");
  }
  if (!powered_[0] && !docked()) {
    push("Off", std::max(1e-3, now_ - planned_to_ + 1), 0);
    return;
  }
  const double until = seat_at_ - planned_to_;
  std::uniform_real_distribution<double> some(0.9, 1.1);
  const auto take = [&](const char* state, double seconds, double a) {
    // Being set down ends whatever it does.
    push(state, seated_ ? seconds : std::max(1e-3, std::min(seconds, until)), a);
  };
  switch (step_++ % 4) {
    case 0:
      take("Idle", 2.5 * some(random_), kIdle);
      break;
    case 1:
      say(planned_to_, fmt::format("scan {}", ++scans_));
      take("Scan", 0.35 * some(random_), kScan);
      break;
    case 2:
      take("Idle", 0.4, kIdle);
      break;
    default:
      say(planned_to_, "send 48 B");
      take("Send", 0.22 * some(random_), kSend);
  }
}

void Tally::advance(double to_s) {
  if (to_s < now_) return;
  now_ = to_s;
  while (planned_to_ <= to_s) plan();
}

void Tally::close_all(double t) {
  for (auto& list : stretches_) {
    while (list.size() > 1 && list.back().from_s >= t) list.pop_back();
    list.back().to_s = t;
  }
  planned_to_ = t;
}

void Tally::power(double now_s, int port, bool on) {
  advance(now_s);
  bool& mine = powered_[port == 1 ? 1 : 0];
  if (mine == on) return;
  close_all(now_s);
  mine = on;
  if (port == 0 && on) {
    booted_ = now_s;
    seat_at_ = now_s + kSetDown;
    step_ = 0;
    say(now_s, "boot tally 1.4");
  }
  advance(now_s);
}

void Tally::set_voltage(double now_s, int, double) { advance(now_s); }
void Tally::set_limit(double now_s, int, double) { advance(now_s); }
void Tally::cut(double t) { close_all(t); }

void Tally::command(double now_s, const std::string& line) {
  advance(now_s);
  if (line == "cradle" || line == "lift") {
    close_all(now_s);
    seated_ = line == "cradle";
    seat_at_ = 1e300;
    say(now_s, seated_ ? "cradle: seated" : "cradle: lifted");
    advance(now_s);
  } else {
    say(now_s, "error: unknown command");
  }
}

unsigned Tally::lines(double t) const {
  const std::string cell = state_at(*this, 0, t), cradle = state_at(*this, 1, t);
  return (cradle == "Feeding" ? 1U : 0U) + (cell == "Scan" ? 2U : 0U);
}

}  // namespace kuvio::sim
