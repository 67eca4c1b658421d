// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/live_history.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {

LiveHistory::Channel& LiveHistory::channelOf(const acquire::LiveChannel& channel) {
  for (Channel& known : channels_) {
    if (known.name == channel.name) return known;
  }
  channels_.push_back({channel.name, channel.unit, channel.quantity, {}, 0, 0});
  return channels_.back();
}

const LiveHistory::Channel* LiveHistory::find(const std::string& name) const {
  for (const Channel& known : channels_) {
    if (known.name == name) return &known;
  }
  return nullptr;
}

void LiveHistory::append(Channel& to, Point point) {
  now_s_ = std::max(now_s_, point.at_s);
  // A clock that stands still or goes back begins anew rather than drawing backwards.
  if (!to.points.empty() && point.at_s <= to.points.back().at_s) return;
  point.begins |= to.points.empty();
  to.points.push_back(point);
  while (to.points.size() > kMost || to.points.front().at_s < now_s_ - kept_s_)
    to.points.pop_front();
}

void LiveHistory::add(const acquire::LiveChannel& channel, double at_s) {
  if (!std::isfinite(channel.last) || channel.out_of_range) {
    for (Channel& known : channels_) {  // nothing is known until the next reading
      if (known.name == channel.name) known.observed_s = -1;
    }
    return;
  }
  Channel& to = channelOf(channel);
  const bool broken = to.observed_s < 0;
  to.sum = to.observed_s = 0;
  append(to, {at_s, channel.last, channel.min, channel.max, broken});
}

void LiveHistory::addRecorded(const acquire::LiveChannel& channel, double at_s) {
  Channel& to = channelOf(channel);
  const bool broken = to.observed_s < 0;
  const double before_s = std::max(0.0, to.observed_s), before = broken ? 0 : to.sum;
  if (!(channel.observed_s > before_s)) return;  // nothing new came
  const double mean = (channel.sum - before) / (channel.observed_s - before_s);
  to.sum = channel.sum;
  to.observed_s = channel.observed_s;
  if (std::isfinite(mean) && std::isfinite(channel.min) && std::isfinite(channel.max))
    append(to, {at_s, mean, channel.min, channel.max, broken});
}

void LiveHistory::breakOff() {
  for (Channel& channel : channels_) {
    channel.sum = 0;
    channel.observed_s = -1;
  }
}

void LiveHistory::keepOnly(const std::set<std::string>& names) {
  std::erase_if(channels_, [&](const Channel& c) { return names.count(c.name) == 0; });
}

void LiveHistory::clear() {
  channels_.clear();
  now_s_ = 0;
}

std::optional<LiveHistory::Figures> LiveHistory::between(const std::string& name, double from_s,
                                                         double to_s) const {
  const Channel* channel = find(name);
  if (!channel) return std::nullopt;
  const auto& points = channel->points;
  const auto first = std::lower_bound(points.begin(), points.end(), from_s,
                                      [](const Point& p, double t) { return p.at_s < t; });
  std::optional<Figures> out;
  double weighed = 0, weight = 0;
  for (auto p = first; p != points.end() && p->at_s <= to_s; ++p) {
    if (!out) out = Figures{p->min, p->mean, p->max};
    out->min = std::min(out->min, p->min);
    out->max = std::max(out->max, p->max);
    // A point stands for the time since the one before; the first of a stroke for none we know.
    const double stands = p->begins || p == first ? 0 : p->at_s - (p - 1)->at_s;
    weighed += stands * p->mean;
    weight += stands;
  }
  if (out && weight > 0) out->mean = weighed / weight;
  return out;
}

}  // namespace kuvio::app
