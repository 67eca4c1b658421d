// SPDX-License-Identifier: GPL-3.0-or-later
// Waiting for what a capture is armed with, and for what it ends with.

#include "acquire/recording.h"
#include "book/text.h"
#include "core/error.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <thread>
#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;

}  // namespace

void Recording::find_watched(const TriggerWatch& watch, Watched& out) {
  const Trigger& t = watch.trigger();
  if (!watch.of_level() && !watch.of_edge()) {
    if (t.kind == Trigger::Kind::log_line && !settings_.log)
      throw Error(Failure::usage, "nothing to wait for", "log: " + t.pattern,
                  "there is no device log");
    return;
  }
  for (std::size_t i = 0; i < tracks_.size() && !out.any; ++i) {
    std::size_t name = tracks_[i]->first_channel();
    const auto& inputs = tracks_[i]->channels();
    for (std::size_t c = 0; c < inputs.size() && !out.any; ++c) {
      const bool logic = inputs[c].quantity == Quantity::logic;
      const std::size_t wide = logic ? inputs[c].lines.size() : 1;
      for (std::size_t k = 0; k < wide && !out.any; ++k, ++name) {
        const bool fits = t.channel.empty() ? inputs[c].quantity == Quantity::current
                                            : channels_[name].name == t.channel;
        if (fits && logic == watch.of_edge()) out = {i, c, k, true};
      }
    }
  }
  if (!out.any) {
    throw Error(Failure::usage, "nothing to wait for", t.channel.empty() ? "a current" : t.channel,
                watch.of_edge() ? "there is no logic line of that name"
                                : "there is no channel of that name");
  }
}

bool Recording::wait_armed(const std::stop_token& stop,
                           const std::function<void(const RecordProgress&)>& progress) {
  for (auto& t : tracks_) t->set_epoch(epoch_s_);
  auto reported = Clock::now();
  while (!arm_.happened_at()) {
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
      tracks_[i]->hold([&](const Packet& packet) {
        if (arm_place_.any && arm_place_.track == i) look_at(arm_, arm_place_, *tracks_[i], packet);
      });
    }
    if (log_) {
      for (DeviceLine& line : log_->log().take()) {
        if (!line.sent) arm_.line(axis().axis_of_host(line.arrived_s), line.text);
        early_lines_.push_back(std::move(line));
      }
      if (early_lines_.size() > 10000)
        early_lines_.erase(early_lines_.begin(), early_lines_.end() - 10000);
    }
    apply_control();
    if (settings_.control && settings_.control->take_begin()) {
      arm_.force(axis().axis_of_host(host_now_s()));
    }
    if (!arm_.happened_at()) forget_what_is_long_past();
    for (auto& t : tracks_) {
      if (!t->input().ended()) continue;
      const std::string why = t->input().failure().value_or("the input ended");
      throw Error(Failure::unavailable, "nothing was recorded", t->input().endpoint().text,
                  "it was lost while the capture was armed: " + why);
    }
    if (stop.stop_requested()) {
      for (auto& t : tracks_) t->input().stop();
      result_.end_reason = "stopped while it was armed: nothing was recorded";
      warn(result_.end_reason);
      return false;
    }
    if (Clock::now() - reported >= kFlushEvery) {
      reported = Clock::now();
      report(progress, true);
    }
    std::this_thread::sleep_for(kIdle);
  }
  begin_at(std::max(0.0, *arm_.happened_at() - settings_.before_s));
  return true;
}

/// Only once all that has come was looked at: after a pause much comes in one go, and what the
/// capture begins with may lie at the beginning of it.
void Recording::forget_what_is_long_past() {
  constexpr double kMostLag =
      60;  // an input that falls silent must not make others fill the memory
  double looked = axis().held_to_s();
  if (arm_place_.any) {
    const InputTrack& watched = *tracks_[arm_place_.track];
    looked = std::min(looked, own_on_axis(watched, watched.held_to_s()));
  }
  for (auto& t : tracks_) {
    const double last = t->held_to_s();
    const double own = t.get() == &axis() ? looked : t->on_axis(axis()).own(looked);
    t->forget_before(std::clamp(own, last - kMostLag, last) - settings_.before_s - 1);
  }
}

void Recording::look_at(TriggerWatch& watch, const Watched& place, const InputTrack& track,
                        const Packet& packet) {
  const auto& values = packet.columns[place.column];
  for (std::size_t i = 0; i < values.size() && !watch.happened_at(); ++i) {
    if (flag_of_value(values[i])) continue;
    double v = values[i];
    if (watch.of_edge()) {
      if (!(v >= 0 && v < 4294967296.0)) continue;
      v = (static_cast<std::uint32_t>(v) >> place.line) & 1U;
    } else {
      v = calibrated(track.first_channel() + place.column, v);
    }
    watch.sample(own_on_axis(track, track.own_s(packet, i) - track.origin_own_s()), v);
  }
}

bool Recording::drain(InputTrack& track) {
  return track.drain(axis(), [&](const Packet& packet) {
    if (until_place_.any && tracks_[until_place_.track].get() == &track && !until_.happened_at()) {
      look_at(until_, until_place_, track, packet);
      if (until_.happened_at())
        stop_at(*until_.happened_at() + step_of(track), "stop condition met");
    }
    if (settings_.until_charge > 0 && &track == &axis()) watch_charge(track, packet);
    return until_s_;
  });
}

double Recording::step_of(const InputTrack& track) {
  return track.period() > 0 ? track.base().seconds(track.period()) : 0;
}

double Recording::own_on_axis(const InputTrack& track, double own_s) {
  return &track == &axis() ? own_s : track.on_axis(axis()).at(own_s);
}

void Recording::begin_at(double axis_own_s) {
  axis().release(axis_own_s);
  for (std::size_t i = 1; i < tracks_.size(); ++i) {
    const ClockMap map = tracks_[i]->on_axis(axis());  // onto the axis as it now begins
    tracks_[i]->release(map.own(0));
  }
  create();
  const double at = *arm_.happened_at() - axis_own_s;
  writer_->event({EventKind::armed_start, at, at, "start condition met"});
  if (log_) {
    for (const DeviceLine& line : early_lines_) {
      const double t = axis().axis_of_host(line.arrived_s);
      if (t >= 0) writer_->log({t, line.sent, book::printable(line.text)});
    }
  }
}

}  // namespace kuvio::acquire
