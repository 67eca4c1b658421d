// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/input_track.h"

#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace kuvio::acquire {

std::pair<TimeBase, std::int64_t> time_base_for(double interval_s) {
  const double rate = 1 / interval_s;
  if (rate >= 1 && std::fabs(rate - std::round(rate)) < 1e-9 * rate)
    return {{1, std::llround(rate)}, 1};
  return {{1, 1'000'000'000}, std::max<std::int64_t>(1, std::llround(interval_s * 1e9))};
}

InputTrack::InputTrack(std::unique_ptr<Input> input, bool is_axis, double time_scale)
    : input_(std::move(input)),
      is_axis_(is_axis),
      scale_(time_scale),
      fit_(1e-3 * std::max(1.0, time_scale)) {
  if (input_->exact_interval()) {
    base_ = *input_->exact_interval();
    period_ = 1;
  } else if (input_->interval_s() > 0) {
    std::tie(base_, period_) = time_base_for(input_->interval_s());
  } else {
    base_ = {1, 1'000'000'000};
    period_ = 0;
  }
}

std::string name_among(const std::string& own, const Endpoint& endpoint,
                       const std::function<bool(const std::string&)>& taken) {
  const std::string prefix = endpoint.option("name"),
                    base = prefix.empty() ? own : prefix + "." + own;
  std::string name = base;
  for (int n = 2; taken(name); ++n) name = fmt::format("{}{}", base, n);
  return name;
}

void InputTrack::add_channels(std::vector<book::ChannelInfo>& all, const std::string& accuracy) {
  first_channel_ = all.size();
  const auto unique = [&](const std::string& wanted) {
    return name_among(wanted, input_->endpoint(), [&](const std::string& name) {
      return std::any_of(all.begin(), all.end(),
                         [&](const book::ChannelInfo& c) { return c.name == name; });
    });
  };
  bool first_current = true;
  for (const InputChannel& c : input_->channels()) {
    places_.push_back(all.size());
    book::ChannelInfo info;
    info.quantity = c.quantity;
    info.unit = c.unit;
    info.kind = c.kind;
    info.encoding = c.encoding;
    info.time_base = base_;
    info.input = input_->identity();
    info.accuracy = c.accuracy;
    if (c.quantity == Quantity::logic) {
      info.kind = SampleKind::averaged;  // a level holds until the next
      info.accuracy.clear();
      for (const std::string& line : c.lines) {
        info.name = unique(line);
        all.push_back(info);
      }
    } else {
      info.name = unique(c.name);
      info.lattice = c.lattice;
      if (c.quantity == Quantity::current && first_current && !accuracy.empty())
        info.accuracy = accuracy;
      first_current &= c.quantity != Quantity::current;
      all.push_back(info);
    }
    const std::string shown = c.quantity == Quantity::logic ? c.name : info.name;
    live_.push_back({shown, c.quantity, c.unit});
    live_.back().place = places_.back();
  }
  flagged_.resize(places_.size());
  apart_.assign(places_.size(), true);
}

std::int64_t InputTrack::tick(const Packet& packet, std::size_t at) const {
  const auto i = static_cast<std::int64_t>(at);
  return (period_ > 0 ? (packet.index + i) * period_ : packet.times[at]) - origin_tick_;
}

double InputTrack::whole_samples_s(double seconds) const {
  if (!std::isfinite(seconds)) return seconds;
  const std::int64_t unit = std::max<std::int64_t>(1, period_);
  const auto units = std::max<std::int64_t>(
      1, std::llround(base_.ticks(seconds) / static_cast<long double>(unit)));
  return base_.seconds(units * unit);
}

double stored_bytes(const InputChannel& channel, bool evenly_spaced) {
  if (channel.quantity == Quantity::logic) return 0;  // next to nothing
  constexpr double kPyramid = 0.2, kTime = 2;
  // Codes of up to 16 bits that change little take less than these two bytes.
  const double value =
      channel.lattice ? 2 : static_cast<double>(book::bytes_per_sample(channel.encoding));
  return value + kPyramid + (evenly_spaced ? 0 : kTime);
}

double InputTrack::bytes_per_s() const {
  double rate = 0;
  if (period_ > 0) {
    rate = 1 / base_.seconds(period_);
  } else if (recorded_s() > 0) {
    rate = static_cast<double>(samples_) / recorded_s();
  }
  double a_sample = 0;
  for (const InputChannel& c : input_->channels()) a_sample += stored_bytes(c, period_ > 0);
  return rate * a_sample;
}

double InputTrack::own_s(const Packet& packet, std::size_t at) const {
  return base_.seconds(tick(packet, at) + origin_tick_);
}

/// Where the cover of a packet's first n samples ends.
std::int64_t InputTrack::end_tick(const Packet& packet, std::size_t n) const {
  if (n == 0) return next_tick_;
  return tick(packet, n - 1) + (period_ > 0 ? period_ : 1);
}

void InputTrack::take_sync() {
  for (SyncPoint p : input_->take_sync_points()) {
    p.earliest_s = (p.earliest_s - epoch_s_) * scale_;
    p.latest_s = (p.latest_s - epoch_s_) * scale_;
    fit_.add(p);
  }
}

ClockMap InputTrack::on_axis(const InputTrack& axis) const {
  ClockMap kept{base_.seconds(origin_tick_), 1, 0};  // from the kept start to the input's own
  if (is_axis_) return {};
  const auto own = fit_.fit(), main = axis.fit_.fit();
  if (!own || !main) return kept_.value_or(ClockMap{});
  ClockMap on_main = compose(inverse(*main), compose(*own, kept));
  on_main.origin_s -= axis.origin_own_s();
  return on_main;
}

double InputTrack::axis_of_host(double host_s) const {
  const auto map = fit_.fit();
  const double scaled = (host_s - epoch_s_) * scale_;
  return (map ? map->own(scaled) : scaled) - origin_own_s();
}

void InputTrack::hold(const std::function<void(const Packet&)>& seen) {
  take_sync();
  while (auto packet = input_->ring().pop()) {
    if (packet->samples() == 0) continue;
    seen(*packet);
    held_.push_back(std::move(*packet));
  }
}

void InputTrack::forget_before(double own) {
  // The packet that reaches over that time stays, so that what follows it is whole.
  while (held_.size() > 1 && own_s(held_[1], 0) < own) held_.pop_front();
}

double InputTrack::held_to_s() const {
  return held_.empty() ? 0 : own_s(held_.back(), held_.back().samples() - 1);
}

double InputTrack::held_s() const {
  return held_.empty() ? 0 : held_to_s() - own_s(held_.front(), 0);
}

/// What was held from `from_own_s` on is written with the next drain; nothing earlier.
void InputTrack::release(double from_own_s) {
  std::int64_t from = 0;
  if (period_ > 0) {
    const auto sample = static_cast<std::int64_t>(std::ceil(
        static_cast<double>(base_.ticks(std::max(0.0, from_own_s))) / static_cast<double>(period_) -
        1e-9));
    from = sample * period_;
    if (!held_.empty()) from = std::max(from, held_.front().index * period_);
  } else {
    from = std::llround(static_cast<double>(base_.ticks(std::max(0.0, from_own_s))));
  }
  origin_tick_ = from;
  std::deque<Packet> kept;
  for (Packet& p : held_) {
    drop_before_origin(p);
    if (p.samples() > 0) kept.push_back(std::move(p));
  }
  held_ = std::move(kept);
}

void InputTrack::drop_before_origin(Packet& p) const {
  std::size_t skip = 0;
  while (skip < p.samples() && tick(p, skip) < 0) ++skip;
  const auto cut = static_cast<std::ptrdiff_t>(skip);
  for (auto& column : p.columns) column.erase(column.begin(), column.begin() + cut);
  if (!p.times.empty()) p.times.erase(p.times.begin(), p.times.begin() + cut);
  p.index += cut;
}

/// What another input had sampled before the axis began is no part of the capture.
void InputTrack::begin_on_axis(Packet& packet, const InputTrack& axis) {
  if (is_axis_ || !fit_.fit() || !axis.fit_.fit()) return;
  const ClockMap map = on_axis(axis);
  std::size_t first = 0;
  while (first < packet.samples() && map.at(base_.seconds(tick(packet, first))) < 0) ++first;
  if (first == 0) return;
  origin_tick_ += first < packet.samples() ? tick(packet, first) : end_tick(packet, first);
  drop_before_origin(packet);
}

bool InputTrack::drain(const InputTrack& axis, const std::function<double(const Packet&)>& until) {
  axis_ = &axis;
  take_sync();
  bool any = false;
  while (!held_.empty()) {
    any = true;
    take(held_.front(), until(held_.front()), axis);
    held_.pop_front();
  }
  while (auto packet = input_->ring().pop()) {
    any = true;
    take(*packet, until(*packet), axis);
  }
  return any;
}

void InputTrack::take(Packet& packet, double until_s, const InputTrack& axis) {
  if (!any_) begin_on_axis(packet, axis);
  std::size_t n = packet.samples();
  if (n == 0 || tick(packet, 0) < (any_ ? next_tick_ : 0)) {
    if (n == 0 || any_ || tick(packet, n - 1) < 0) return;
  }
  // The capture's end, on this input's own clock.
  const double own_until =
      is_axis_ || !std::isfinite(until_s) ? until_s : on_axis(axis).own(until_s);
  std::int64_t last = std::numeric_limits<std::int64_t>::max();
  if (std::isfinite(own_until)) {
    last = std::max<std::int64_t>(std::max<std::int64_t>(period_, 1),
                                  std::llround(base_.ticks(own_until)));
    while (n > 0 && tick(packet, n - 1) >= last) --n;
    if (n == 0) {
      const std::int64_t from = std::min(last, tick(packet, 0));
      if (period_ > 0 && (any_ || is_axis_) && from > next_tick_) lose(from, packet.why_lost);
      next_tick_ = std::max(next_tick_, from);
      return;
    }
  }
  // What the axis lost before its first sample is missing too; others begin where they begin.
  if (period_ > 0 && (any_ || is_axis_) && tick(packet, 0) > next_tick_)
    lose(tick(packet, 0), packet.why_lost);
  if (period_ == 0 && packet.gap) {
    for (std::size_t c = 0; c < places_.size(); ++c) close_flag(c);
    apart_.assign(apart_.size(), true);
    logic_gap_ = true;
    gaps_ += any_ ? 1 : 0;
  }
  any_ = true;
  for (std::size_t c = 0; c < places_.size(); ++c) {
    if (input_->channels()[c].quantity == Quantity::logic) {
      take_logic(c, packet, n);
    } else {
      take_column(c, packet, n);
    }
  }
  logic_gap_ = false;
  samples_ += static_cast<std::int64_t>(n);
  next_tick_ = n < packet.samples() ? last : end_tick(packet, n);
}

/// Samples that the input no longer had: a gap, marked as dropped.
void InputTrack::lose(std::int64_t until, const std::string& why) {
  const std::int64_t count = (until - next_tick_) / period_;
  const double from_s = base_.seconds(next_tick_), to_s = base_.seconds(until);
  for (std::size_t c = 0; c < places_.size(); ++c) {
    close_flag(c);
    const bool logic = input_->channels()[c].quantity == Quantity::logic;
    const std::size_t wide = logic ? input_->channels()[c].lines.size() : 1;
    for (std::size_t k = 0; k < wide; ++k)
      writer_->flag(places_[c] + k, {Flag::dropped, from_s, to_s, count});
  }
  if (lost_ == 0) first_lost_s_ = axis_ && !is_axis_ ? on_axis(*axis_).at(from_s) : from_s;
  lost_ += count;
  ++gaps_;
  const ClockMap map = axis_ && !is_axis_ ? on_axis(*axis_) : ClockMap{};
  writer_->event(
      {EventKind::samples_lost, map.at(from_s), map.at(to_s), why.empty() ? "samples lost" : why});
  next_tick_ = until;
  logic_gap_ = true;
}

void InputTrack::take_column(std::size_t column, const Packet& packet, std::size_t n) {
  const std::vector<double>& values = packet.columns[column];
  const std::size_t place = places_[column];
  std::size_t at = 0;
  while (at < n) {
    const auto flag = flag_of_value(values[at]);
    std::size_t end = at + 1;
    while (end < n && flag_of_value(values[end]) == flag) ++end;
    const std::int64_t first = tick(packet, at);
    if (!flag) {
      close_flag(column);
      const std::span<const double> run(values.data() + at, end - at);
      if (period_ > 0) {
        writer_->append(place, first, period_, run);
        count_live(column, run, base_.seconds(period_) * static_cast<double>(run.size()));
      } else {
        good_times_.clear();
        for (std::size_t i = at; i < end; ++i) good_times_.push_back(tick(packet, i));
        writer_->append_times(place, good_times_, run, good_times_.back() + 1, apart_[column]);
        const std::int64_t since = apart_[column] ? good_times_.front() : next_tick_;
        count_live(column, run, base_.seconds(good_times_.back() + 1 - since));
        apart_[column] = false;
      }
      if (watch) watch(column, first, run);
    } else {
      Flagged& f = flagged_[column];
      const auto count = static_cast<std::int64_t>(end - at);
      if (f.run && f.run->flag == *flag && f.end == first) {
        f.run->samples += count;
      } else {
        close_flag(column);
        f.run = FlagRun{*flag, 0, 0, count};
        f.first = first;
      }
      f.end = end == packet.samples() || period_ > 0
                  ? tick(packet, end - 1) + std::max<std::int64_t>(1, period_)
                  : tick(packet, end);
      apart_[column] = true;
      live_[column].out_of_range = *flag;
    }
    at = end;
  }
}

void InputTrack::count_live(std::size_t column, std::span<const double> values, double length_s) {
  LiveChannel& live = live_[column];
  const auto [least, most] = std::minmax_element(values.begin(), values.end());
  if (fresh_) {
    for (LiveChannel& l : live_) l.min = INFINITY, l.max = -INFINITY;
    fresh_ = false;
  }
  live.min = std::min(live.min, *least);
  live.max = std::max(live.max, *most);
  live.last = values.back();
  live.out_of_range.reset();
  double sum = 0;
  for (const double v : values) sum += v;
  live.sum += sum / static_cast<double>(values.size()) * length_s;
  live.observed_s += length_s;
}

/// A line's level holds until the next sample: one at the packet's start, one at every change.
void InputTrack::take_logic(std::size_t column, const Packet& packet, std::size_t n) {
  const std::vector<double>& words = packet.columns[column];
  const std::size_t lines = input_->channels()[column].lines.size();
  for (std::size_t line = 0; line < lines; ++line) {
    good_times_.clear();
    good_.clear();
    double last = -1;
    for (std::size_t i = 0; i < n; ++i) {
      // Whatever an instrument answers, only what fits a word of lines is one.
      if (flag_of_value(words[i]) || !(words[i] >= 0 && words[i] < 4294967296.0)) continue;
      const double level = (static_cast<std::uint32_t>(words[i]) >> line) & 1U;
      if (level == last) continue;
      good_times_.push_back(tick(packet, i));
      good_.push_back(level);
      last = level;
    }
    writer_->append_times(places_[column] + line, good_times_, good_, end_tick(packet, n),
                          logic_gap_);
    if (watch && !good_.empty()) {
      for (std::size_t i = 0; i < good_.size(); ++i)
        watch(column + line, good_times_[i], std::span(&good_[i], 1));
    }
  }
}

void InputTrack::close_flag(std::size_t column) {
  Flagged& f = flagged_[column];
  if (!f.run) return;
  f.run->from_s = base_.seconds(f.first);
  f.run->to_s = base_.seconds(f.end);
  writer_->flag(places_[column], *f.run);
  f.run.reset();
}

void InputTrack::keep_clock(const InputTrack& axis) {
  if (!fit_.fit()) return;
  if (is_axis_) return;
  const ClockMap map = on_axis(axis);
  if (kept_ && *kept_ == map) return;
  kept_ = map;
  for (std::size_t c = 0; c < places_.size(); ++c) {
    const bool logic = input_->channels()[c].quantity == Quantity::logic;
    const std::size_t wide = logic ? input_->channels()[c].lines.size() : 1;
    for (std::size_t k = 0; k < wide; ++k)
      writer_->clock(places_[c] + k, map,
                     c == 0 && k == 0 ? fit_.corners() : std::vector<SyncPoint>{});
  }
}

/// What it owes up to the capture's end is missing.
void InputTrack::miss(const InputTrack& axis, double until_s) {
  if (!(any_ || is_axis_)) return;
  const double own = is_axis_ ? until_s : on_axis(axis).own(until_s);
  const std::int64_t end = std::llround(base_.ticks(own));
  // A sample or two more or less is where an input's own clock stands.
  const std::int64_t slack = is_axis_ ? 0 : 2 * period_;
  if (period_ > 0 && end - next_tick_ > slack) {
    lose(next_tick_ + (end - next_tick_) / period_ * period_, "no samples came");
  } else if (period_ == 0 && end > next_tick_) {
    const double from_s = base_.seconds(next_tick_);
    for (std::size_t c = 0; c < places_.size(); ++c) {
      close_flag(c);
      if (input_->channels()[c].quantity != Quantity::logic)
        writer_->flag(places_[c], {Flag::dropped, from_s, base_.seconds(end), 0});
    }
    next_tick_ = end;
  }
}

void InputTrack::finish(const InputTrack& axis) {
  for (std::size_t c = 0; c < places_.size(); ++c) close_flag(c);
  keep_clock(axis);
  // The axis keeps its points too: what all others were laid on it by.
  if (is_axis_ && fit_.fit() && !places_.empty())
    writer_->clock(places_[0], ClockMap{}, fit_.corners());
}

}  // namespace kuvio::acquire
