// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/log_track.h"

#include "book/text.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace kuvio::acquire {
namespace {
constexpr double kRise = 1e-6;  // A: more than any input reads of an output that is off
}

void LogTrack::schedule(std::vector<ScheduledLine> lines) {
  std::stable_sort(lines.begin(), lines.end(),
                   [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
  scheduled_.assign(lines.begin(), lines.end());
}

void LogTrack::send_due(double recorded_s) {
  for (; !scheduled_.empty() && scheduled_.front().at_s <= recorded_s; scheduled_.pop_front())
    log_.send(scheduled_.front().text);
}

void LogTrack::watch_current(double from_s, double step_s, std::span<const double> values) {
  if (!watching_) {
    last_ = {from_s, step_s, {values.begin(), values.end()}};
    return;
  }
  for (std::size_t i = 0; i < values.size() && watching_; ++i) {
    const double at = from_s + static_cast<double>(i) * step_s;
    if (at < power_->first - 1e-12) continue;
    if (values[i] > kRise) {
      anchor(at);
    } else if (at > power_->second) {
      anchor(power_->second);
    }
  }
}

void LogTrack::power_came(double earliest_s, double latest_s) {
  if (power_) return;
  power_ = {earliest_s, latest_s};
  watching_ = true;
  const Seen seen = std::exchange(last_, {});
  watch_current(seen.from_s, seen.step_s, seen.values);
}

void LogTrack::anchor(double t) {
  watching_ = false;
  boot_at_ = t;
  writer_->event({EventKind::clock_anchor, t, t, "the device's uptime 0"});
  place_held(std::numeric_limits<double>::infinity());
}

void LogTrack::drain(double until_s) {
  std::vector<DeviceLine> lines = log_.take();
  if (!boot_at_ && !power_ && !expects_power_) align_to_arrival(lines);
  for (DeviceLine& line : lines) {
    if (line.uptime_s && !boot_at_) {
      held_.push_back(std::move(line));
      continue;
    }
    const double arrived = axis_of_host(line.arrived_s);
    place(line, line.uptime_s ? *boot_at_ + *line.uptime_s : arrived, until_s);
  }
}

void LogTrack::align_to_arrival(std::span<const DeviceLine> lines) {
  for (const DeviceLine& line : lines) {
    if (!line.uptime_s) continue;
    // Of several that came together, the one that waited least says most.
    const double boot_at = axis_of_host(line.arrived_s) - *line.uptime_s;
    boot_at_ = boot_at_ ? std::min(*boot_at_, boot_at) : boot_at;
  }
  if (boot_at_)
    notes_.emplace_back(
        "the device was already running; its log is aligned to the arrival of the first line");
}

void LogTrack::place_held(double until_s) {
  for (const DeviceLine& line : std::exchange(held_, {}))
    place(line, *boot_at_ + *line.uptime_s, until_s);
}

void LogTrack::finish(double until_s) {
  if (!boot_at_ && power_) boot_at_ = power_->second;
  if (boot_at_) place_held(until_s);
}

void LogTrack::place(const DeviceLine& line, double time_s, double until_s) {
  if (time_s > until_s) return;
  const book::LogLine out{time_s, line.sent, book::printable(line.text)};
  writer_->log(out);
  ++lines_;
  if (placed) placed(out);
}

}  // namespace kuvio::acquire
