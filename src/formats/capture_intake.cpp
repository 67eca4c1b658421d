// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/capture_intake.h"

#include "core/special_value.h"

#include <stdexcept>
#include <string>

namespace kuvio::formats {
namespace {

constexpr std::size_t kFlush = 1 << 18;
constexpr std::int64_t kFurthest = std::int64_t{1} << 62;

}  // namespace

CaptureIntake::CaptureIntake(book::Book& book, const book::CaptureSpec& spec,
                             const std::vector<book::ChannelInfo>& channels)
    : capture_(book, spec, channels) {
  for (const book::ChannelInfo& c : channels) lanes_.push_back({c.time_base, {}, 0, false, false});
}

void CaptureIntake::require_after(const Lane& lane, std::int64_t start) const {
  if (start <= -kFurthest || start >= kFurthest)
    throw std::invalid_argument("its times are beyond all reason");
  if (lane.any && start < lane.end)
    throw std::invalid_argument("samples overlap those before them");
}

void CaptureIntake::even(std::size_t channel, std::int64_t start, std::int64_t period,
                         std::span<const double> values) {
  Lane& lane = lanes_.at(channel);
  if (values.empty()) return;
  require_after(lane, start);
  const auto count = static_cast<std::int64_t>(values.size());
  if (period <= 0 || period > kFurthest / count || start > kFurthest - period * count)
    throw std::invalid_argument("its sample period makes no sense");
  std::size_t at = 0;
  while (at < values.size()) {
    std::size_t end = at;
    const auto flag = flag_of_value(values[at]);
    while (end < values.size() && flag_of_value(values[end]) == flag) ++end;
    const auto tick = [&](std::size_t i) { return start + static_cast<std::int64_t>(i) * period; };
    if (flag) {
      flagged(channel, *flag, tick(at), tick(end));
      lane.run->samples += static_cast<std::int64_t>(end - at);
    } else {
      close_run(channel);
      capture_->append(channel, tick(at), period, values.subspan(at, end - at));
      stored(end - at);
    }
    at = end;
  }
  lane.end = start + count * period;
  lane.any = true;
}

void CaptureIntake::timed(std::size_t channel, std::span<const std::int64_t> ticks,
                          std::span<const double> values, std::int64_t end, bool gap_before) {
  Lane& lane = lanes_.at(channel);
  if (values.empty()) return;
  require_after(lane, ticks.front());
  for (std::size_t i = 1; i < ticks.size(); ++i) {
    if (ticks[i] <= ticks[i - 1]) throw std::invalid_argument("its times do not rise");
  }
  if (ticks.back() >= kFurthest || end < ticks.back() || end > kFurthest)
    throw std::invalid_argument("its times are beyond all reason");
  lane.broken |= gap_before;
  std::size_t at = 0;
  while (at < values.size()) {
    std::size_t stop = at;
    const auto flag = flag_of_value(values[at]);
    while (stop < values.size() && flag_of_value(values[stop]) == flag) ++stop;
    const std::int64_t to = stop < values.size() ? ticks[stop] : end;
    if (flag) {
      flagged(channel, *flag, ticks[at], to);
      lane.run->samples += static_cast<std::int64_t>(stop - at);
      lane.broken = true;
    } else {
      close_run(channel);
      capture_->append_times(channel, ticks.subspan(at, stop - at), values.subspan(at, stop - at),
                             to, lane.broken);
      lane.broken = false;
      stored(stop - at);
    }
    at = stop;
  }
  lane.end = ticks.back() + 1;
  lane.any = true;
}

/// The run of flagged samples that goes on or begins here.
void CaptureIntake::flagged(std::size_t channel, Flag flag, std::int64_t from, std::int64_t end) {
  Lane& lane = lanes_[channel];
  if (lane.run && (lane.run->flag != flag || lane.run->end != from)) close_run(channel);
  if (!lane.run) lane.run = Run{flag, from, end, 0};
  lane.run->end = end;
}

void CaptureIntake::close_run(std::size_t channel) {
  Lane& lane = lanes_[channel];
  if (!lane.run) return;
  capture_->flag(channel, {lane.run->flag, lane.base.seconds(lane.run->from),
                           lane.base.seconds(lane.run->end), lane.run->samples});
  lane.run.reset();
}

void CaptureIntake::stored(std::size_t samples) {
  pending_ += samples;
  if (pending_ < kFlush) return;
  capture_->flush();
  pending_ = 0;
}

void CaptureIntake::flag(std::size_t channel, const FlagRun& run) {
  if (channel >= lanes_.size())
    throw std::out_of_range("a flag of channel " + std::to_string(channel) + ", of " +
                            std::to_string(lanes_.size()));
  capture_->flag(channel, run);
}

void CaptureIntake::log(const book::LogLine& line) { capture_->log(line); }
void CaptureIntake::event(const Event& event) { capture_->event(event); }

std::int64_t CaptureIntake::finish() {
  for (std::size_t i = 0; i < lanes_.size(); ++i) close_run(i);
  capture_.finish("imported");
  return capture_.id();
}

}  // namespace kuvio::formats
