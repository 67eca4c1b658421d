// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/channel_trace.h"

#include "book/stored_trace.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace kuvio::book {
namespace {

constexpr double kFinest = 1e-9;  // s: what an origin is laid to
constexpr std::int64_t kMostTicks = std::int64_t{1} << 60;

}  // namespace

ChannelTrace::ChannelTrace(const Book& book, const ChannelInfo& channel)
    : stored_(std::make_unique<StoredTrace>(book, channel)) {
  take_stored();
}

ChannelTrace::~ChannelTrace() = default;

SampleKind ChannelTrace::kind() const { return stored_->kind(); }
const ChannelInfo& ChannelTrace::info() const { return stored_->info(); }

void ChannelTrace::grow(const ChannelInfo& now) {
  stored_->grow(now);
  take_stored();
}

void ChannelTrace::take_stored() {
  base_ = stored_->time_base();
  fine_ = 1;
  origin_ = 0;
  calibrated_ = !info().calibration.identity();
  gain_ = info().calibration.gain;
  offset_ = info().calibration.offset;
  slope_ = info().calibration.slope;
  blocks_.assign(stored_->blocks().begin(), stored_->blocks().end());
  flags_.assign(stored_->flags().begin(), stored_->flags().end());
  if (info().clock) lay_on_axis(*info().clock);
}

/// An input's own ticks are cut finer, so that its origin can be laid between two of them, and
/// stretched by its rate.
void ChannelTrace::lay_on_axis(const ClockMap& clock) {
  std::int64_t furthest = 1;
  for (const Block& b : blocks_)
    furthest = std::max({furthest, std::abs(b.start), std::abs(b.end), b.period});
  fine_ = std::clamp<std::int64_t>(std::llround(std::ceil(base_.tick_s() / kFinest)), 1,
                                   std::max<std::int64_t>(1, kMostTicks / furthest));
  fine_ = std::min<std::int64_t>(fine_, 1'000'000);
  const long double own_tick = static_cast<long double>(base_.num) / base_.den;
  base_ = nearest_time_base(own_tick * clock.rate / fine_);
  origin_ = std::llround(static_cast<long double>(clock.origin_s) * base_.den / base_.num);
  for (Block& b : blocks_) {
    b.start = b.start * fine_ + origin_;
    b.end = b.end * fine_ + origin_;
    b.period *= fine_;
  }
  for (FlagRun& run : flags_) {
    run.from_s = clock.at(run.from_s);
    run.to_s = clock.at(run.to_s);
  }
}

const Block& ChannelTrace::as_stored(const Block& block) const {
  const auto all = stored_->blocks();
  const auto it = std::partition_point(all.begin(), all.end(),
                                       [&](const Block& b) { return b.first < block.first; });
  return *it;
}

/// `length`: of the cells, in the unit that q is counted in. The integral of (g x + o)^2 is
/// g^2 r + 2 g o q + o^2 length.
CellSum ChannelTrace::calibrated(CellSum s, double length, double offset) const {
  const double q = s.q;
  s.q = gain_ * q + offset * length;
  s.r = gain_ * gain_ * s.r + 2 * gain_ * offset * q + offset * offset * length;
  s.lo = gain_ * s.lo + offset;
  s.hi = gain_ * s.hi + offset;
  if (gain_ < 0) std::swap(s.lo, s.hi);
  return s;
}

/// Half-way through some cells (s): what drifts on a straight line is in the mean as it is there.
double ChannelTrace::middle_s(const Block& block, std::int64_t from, std::int64_t to) const {
  const auto tick = [&](std::int64_t at) {
    const bool beyond = kind() == SampleKind::instant && at == block.count;
    return base_.seconds(beyond ? block.end : tick_of(*this, block, at));
  };
  return (tick(from) + tick(to)) / 2;
}

void ChannelTrace::read(const Block& block, std::int64_t at, std::span<double> out) const {
  stored_->read(as_stored(block), at, out);
  if (!calibrated_) return;
  for (double& v : out) v = gain_ * v + offset_;
  if (slope_ == 0) return;
  const bool averaged = kind() == SampleKind::averaged;
  std::vector<std::int64_t> times;
  if (block.period == 0) {
    times.resize(out.size());
    read_times(block, at, times);
  }
  for (std::size_t i = 0; i < out.size(); ++i) {
    const std::int64_t index = at + static_cast<std::int64_t>(i);
    if (block.period > 0) {
      const double t = base_.seconds(block.start + index * block.period);
      out[i] += slope_ * (averaged ? t + base_.seconds(block.period) / 2 : t);
    } else if (averaged) {
      const std::int64_t next =
          i + 1 < out.size() ? times[i + 1] : tick_of(*this, block, index + 1);
      out[i] += slope_ * (base_.seconds(times[i]) + base_.seconds(next)) / 2;
    } else {
      out[i] += slope_ * base_.seconds(times[i]);
    }
  }
}

void ChannelTrace::read_times(const Block& block, std::int64_t at,
                              std::span<std::int64_t> out) const {
  stored_->read_times(as_stored(block), at, out);
  if (fine_ == 1 && origin_ == 0) return;
  for (std::int64_t& t : out) t = t * fine_ + origin_;
}

CellSum ChannelTrace::sum_of(const Block& block, std::int64_t from, std::int64_t to) const {
  const Block& own = as_stored(block);
  CellSum s = stored_->sum(own, from, to);
  if (own.period == 0) {
    // Counted in stored ticks there, in the axis's here.
    s.q *= static_cast<double>(fine_);
    s.r *= static_cast<double>(fine_);
  }
  if (!calibrated_) return s;
  std::int64_t cells = to - from;
  if (kind() == SampleKind::instant && to == own.count) --cells;  // the last has no length
  const double length =
      own.period == 0 ? static_cast<double>(tick_of(*this, block, to) - tick_of(*this, block, from))
                      : static_cast<double>(cells);
  const double drift = slope_ == 0 ? 0 : slope_ * middle_s(block, from, to);
  return calibrated(s, length, offset_ + drift);
}

namespace {
constexpr std::int64_t kDriftPiece = 4096, kDriftPieces = 64;

/// Samples over which a drift is taken as it is in their middle.
std::int64_t drift_piece(std::int64_t samples) {
  return std::max(kDriftPiece, samples / kDriftPieces + 1);
}
}  // namespace

CellSum ChannelTrace::sum(const Block& block, std::int64_t from, std::int64_t to) const {
  if (slope_ == 0) return sum_of(block, from, to);
  const std::int64_t piece = drift_piece(to - from);
  CellSum out = sum_of(block, from, std::min(to, from + piece));
  for (std::int64_t at = from + piece; at < to; at += piece)
    accumulate(out, sum_of(block, at, std::min(to, at + piece)));
  return out;
}

Extremes ChannelTrace::extremes(const Block& block, std::int64_t from, std::int64_t to,
                                Effort effort) const {
  const auto of = [&](std::int64_t a, std::int64_t b) {
    Extremes out = stored_->extremes(as_stored(block), a, b, effort);
    if (!calibrated_) return out;
    const double offset = offset_ + (slope_ == 0 ? 0 : slope_ * middle_s(block, a, b));
    out.lo = gain_ * out.lo + offset;
    out.hi = gain_ * out.hi + offset;
    if (gain_ < 0) std::swap(out.lo, out.hi);
    return out;
  };
  if (slope_ == 0) return of(from, to);
  const std::int64_t piece = drift_piece(to - from);
  Extremes out = of(from, std::min(to, from + piece));
  for (std::int64_t at = from + piece; at < to; at += piece) {
    const Extremes more = of(at, std::min(to, at + piece));
    out = {std::min(out.lo, more.lo), std::max(out.hi, more.hi), out.exact && more.exact};
  }
  return out;
}

}  // namespace kuvio::book
