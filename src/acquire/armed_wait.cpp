// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/armed_wait.h"

#include "acquire/input_track.h"

#include <algorithm>
#include <utility>

namespace kuvio::acquire {

void ArmedWait::look(const Tracks& tracks) {
  const InputTrack& axis = *tracks.front();
  for (const auto& t : tracks)
    t->hold([&](const Packet& packet) { trigger_.look(*t, packet, axis); });
}

void ArmedWait::look(std::vector<DeviceLine> lines,
                     const std::function<double(double)>& axis_of_host) {
  for (DeviceLine& line : lines) {
    if (!line.sent) trigger_.line(axis_of_host(line.arrived_s), line.text);
    lines_.push_back(std::move(line));
  }
  if (lines_.size() > kLines) lines_.erase(lines_.begin(), lines_.end() - kLines);
}

void ArmedWait::forget(const Tracks& tracks) const {
  if (happened_at()) return;
  const InputTrack& axis = *tracks.front();
  double looked = axis.held_to_s();
  if (const InputTrack* watched = trigger_.track())
    looked = std::min(looked, watched->axis_s(axis, watched->held_to_s()));
  for (const auto& t : tracks) {
    // An input that falls silent must not make others fill the memory.
    const double last = t->held_to_s();
    const double own = t.get() == &axis ? looked : t->on_axis(axis).own(looked);
    t->forget_before(std::clamp(own, last - kMostLag, last) - before_s_ - 1);
  }
}

double ArmedWait::release(const Tracks& tracks) const {
  InputTrack& axis = *tracks.front();
  const double from = std::max(0.0, *happened_at() - before_s_);
  axis.release(from);
  for (std::size_t i = 1; i < tracks.size(); ++i) {
    const ClockMap map = tracks[i]->on_axis(axis);  // onto the axis as it now begins
    tracks[i]->release(map.own(0));
  }
  return *happened_at() - from;
}

}  // namespace kuvio::acquire
