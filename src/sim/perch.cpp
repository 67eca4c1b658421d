// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/perch.h"

#include <fmt/format.h>

#include <algorithm>

namespace kuvio::sim {
namespace {

constexpr double kSunrise = 60, kReportEvery = 30, kBirdEvery = 11;  // s
constexpr double kWatch = 48e-6, kCount = 3.4e-3, kReport = 26e-3;   // A out of the cell
constexpr double kCountS = 0.12, kReportS = 0.35;
constexpr double kInSun = 4e-3, kInShade = 60e-6;  // A out of the panel
constexpr double kBurstS = 0.5;

}  // namespace

Perch::Perch(std::uint64_t seed) : random_(seed * 7919U + 23) {
  for (auto& list : stretches_) list.push_back({"Off", 0, 0, 0});
}

void Perch::say(double t, const std::string& line) {
  if (print) print(t, t - booted_, line);
}

double Perch::panel_a() const { return !powered_[1] ? 0 : sun_ ? kInSun : kInShade; }

void Perch::push(const std::string& state, double seconds, double cell_a) {
  const double a = planned_to_, b = a + seconds;
  stretches_[0].push_back({powered_[0] ? state : "Off", a, b, powered_[0] ? cell_a : 0});
  stretches_[1].push_back({!powered_[1] ? "Off" : sun_ ? "Sun" : "Shade", a, b, panel_a()});
  stored_c_ += panel_a() * kEfficiency * seconds;
  planned_to_ = b;
}

/// One stretch: whatever is due first. A burst waits until what it would fall into is done.
void Perch::plan() {
  const double t = planned_to_;
  if (t >= sunrise_at_) {
    sunrise_at_ = 1e300;
    sun_ = true;
    if (powered_[0]) say(t, "panel: sun");
  }
  if (!powered_[0]) return push("Off", std::max(1e-3, now_ - t + 1), 0);
  if (stored_c_ >= kBurstC) {
    stored_c_ -= kBurstC;
    say(t, fmt::format("harvest {}", ++bursts_));
    return push("Harvest", kBurstS, kWatch - kBurstC / kBurstS);
  }
  if (t >= next_report_) {
    next_report_ += kReportEvery;
    say(t, fmt::format("report {} birds", birds_));
    return push("Report", kReportS, kReport);
  }
  if (t >= next_bird_) {
    next_bird_ = t + kCountS + std::exponential_distribution<double>(1 / kBirdEvery)(random_);
    say(t, fmt::format("bird {}", ++birds_));
    return push("Count", kCountS, kCount);
  }
  const double full = panel_a() > 0 ? t + (kBurstC - stored_c_) / (panel_a() * kEfficiency) : 1e300;
  const double until = std::min({next_report_, next_bird_, sunrise_at_, full + 1e-9});
  push("Watch", std::max(1e-3, until - t), kWatch);
}

void Perch::advance(double to_s) {
  if (to_s < now_) return;
  now_ = to_s;
  while (planned_to_ <= to_s) plan();
}

void Perch::close_all(double t) {
  // What was planned beyond t was not collected either.
  double ahead = 0;
  for (const Stretch& s : stretches_[1])
    if (s.to_s > t) ahead += s.level_a * (s.to_s - std::max(t, s.from_s));
  stored_c_ = std::max(0.0, stored_c_ - ahead * kEfficiency);
  for (auto& list : stretches_) {
    while (list.size() > 1 && list.back().from_s >= t) list.pop_back();
    list.back().to_s = t;
  }
  planned_to_ = t;
}

void Perch::power(double now_s, int port, bool on) {
  advance(now_s);
  bool& mine = powered_[port == 1 ? 1 : 0];
  if (mine == on) return;
  close_all(now_s);
  mine = on;
  if (port == 0 && on) {
    booted_ = now_s;
    sunrise_at_ = now_s + kSunrise;
    next_report_ = now_s + kReportEvery;
    next_bird_ = now_s + 3;
    birds_ = bursts_ = 0;
    stored_c_ = 0;
    say(now_s, "boot perch 1.2");
  }
  advance(now_s);
}

void Perch::set_voltage(double now_s, int, double) { advance(now_s); }
void Perch::set_limit(double now_s, int, double) { advance(now_s); }
void Perch::cut(double t) { close_all(t); }

void Perch::command(double now_s, const std::string& line) {
  advance(now_s);
  if (line == "sun" || line == "shade") {
    close_all(now_s);
    sun_ = line == "sun";
    sunrise_at_ = 1e300;
    say(now_s, "panel: " + line);
    advance(now_s);
  } else {
    say(now_s, "error: unknown command");
  }
}

unsigned Perch::lines(double t) const {
  const std::string cell = state_at(*this, 0, t);
  return (cell == "Harvest" ? 1U : 0U) + (cell == "Count" ? 2U : 0U);
}

}  // namespace kuvio::sim
