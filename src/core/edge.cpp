// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/edge.h"

#include "core/measure.h"
#include "core/quantiles.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <span>

namespace kuvio {
namespace {

constexpr std::int64_t kLevelSamples = 5;   // for a level's median
constexpr std::int64_t kNoiseSamples = 16;  // for the noise beside an edge
constexpr std::int64_t kMostGrowth = 5;
constexpr double kOffLevel = 5;          // standard deviations
constexpr double kStillChanging = 0.05;  // of the step, beyond the largest cell
constexpr double kClear = 3;
constexpr double kMedianLoss = 1.2533141373155003;  // sqrt(pi/2): of a median against a mean

/// The samples around an edge's cell that its levels, its noise and its growth may ask for, read at
/// once.
class Around {
public:
  Around(const Trace& trace, const Block& block, SampleRange cell)
      : from_(std::max<std::int64_t>(0, cell.from - kReach)) {
    const std::int64_t to = std::min(block.count, cell.to + kReach);
    count_ = std::clamp<std::int64_t>(to - from_, 0, static_cast<std::int64_t>(samples_.size()));
    if (count_ > 0) trace.read(block, from_, {samples_.data(), static_cast<std::size_t>(count_)});
  }
  double operator[](std::int64_t at) const {
    return samples_.at(static_cast<std::size_t>(at - from_));
  }
  /// What was read of a range.
  std::span<const double> of(SampleRange range) const {
    const std::int64_t from = std::clamp(range.from, from_, from_ + count_),
                       to = std::clamp(range.to, from, from_ + count_);
    return {samples_.data() + (from - from_), static_cast<std::size_t>(to - from)};
  }

private:
  static constexpr std::int64_t kReach = kNoiseSamples + 2 * kMostGrowth + 2;
  static constexpr std::int64_t kLargestCell = 2 * kMostGrowth + 2;
  std::int64_t from_ = 0, count_ = 0;
  std::array<double, static_cast<std::size_t>(kLargestCell + 2 * kReach)> samples_;
};

double median_of(std::span<const double> values) {
  std::array<double, kNoiseSamples> copy;
  std::copy(values.begin(), values.end(), copy.begin());
  return quantile_in_place(std::span(copy).first(values.size()), 0.5);
}

/// Standard deviation of one sample by the median of second differences: neither a slope nor a jump
/// is noise.
double noise_of(std::span<const double> v) {
  constexpr double kMedian = 0.6744897501960817, kSecond = 2.449489742783178;  // sqrt(6)
  if (v.size() < 3) return v.size() == 2 ? std::fabs(v[1] - v[0]) / std::numbers::sqrt2 : 0;
  std::array<double, kNoiseSamples> steps;
  for (std::size_t i = 2; i < v.size(); ++i)
    steps[i - 2] = std::fabs(v[i] - 2 * v[i - 1] + v[i - 2]);
  return quantile_in_place(std::span(steps).first(v.size() - 2), 0.5) / (kMedian * kSecond);
}

/// A level beside an edge and the noise of its samples.
struct Level {
  double value = 0, noise = 0;
  double u() const { return u_; }
  double u_ = 0;
};

/// From the samples that are nearest to the edge: the last ones of `range`, or the first.
Level level_beside(const Around& around, SampleRange range, bool edge_follows) {
  const auto part = [&](std::int64_t n) {
    n = std::min(n, range.count());
    return around.of(edge_follows ? SampleRange{range.to - n, range.to}
                                  : SampleRange{range.from, range.from + n});
  };
  Level out;
  const auto near = part(kLevelSamples);
  if (near.empty()) return out;
  out.value = median_of(near);
  out.noise = noise_of(part(kNoiseSamples));
  // The median of one or two is their mean.
  out.u_ =
      out.noise / std::sqrt(static_cast<double>(near.size())) * (near.size() > 2 ? kMedianLoss : 1);
  return out;
}

/// The same from samples that lie as far from the edge as its cell may grow, where there are any.
Level level_aside(const Around& around, SampleRange range, bool edge_follows) {
  const std::int64_t skip = std::clamp<std::int64_t>(range.count() - kLevelSamples, 0, kMostGrowth);
  if (edge_follows) {
    range.to -= skip;
  } else {
    range.from += skip;
  }
  return level_beside(around, range, edge_follows);
}

bool between(double x, double a, double b) { return x > std::min(a, b) && x < std::max(a, b); }

/// One side of a cell while it grows.
struct Side {
  Level own, other;
  double step() const { return std::fabs(other.value - own.value); }
  bool off(double x) const {
    return between(x, own.value, other.value) &&
           std::fabs(x - own.value) > std::max(kOffLevel * own.noise, 1e-9 * step());
  }
  bool still_changing(double x) const {
    return off(x) && std::fabs(x - own.value) > kStillChanging * step();
  }
};

/// First sample of a block at or after a moment (averaged: whose interval begins there or later).
std::int64_t first_at(const Trace& trace, const Block& block, double t_s) {
  const long double tick = trace.time_base().ticks(t_s);
  if (tick <= static_cast<long double>(block.start)) return 0;
  if (tick >= static_cast<long double>(block.end) && trace.kind() == SampleKind::averaged)
    return block.count;
  const std::int64_t at = cell_at(trace, block, tick);
  return static_cast<long double>(tick_of(trace, block, at)) >= tick ? at : at + 1;
}

/// Samples of a visit that lie beyond the cells of both its edges.
SampleRange beyond_cells(const Trace& trace, const Block& block, const Visit& v) {
  const double from = v.begins.empty() ? v.from_s : v.begins.to_s;
  const double to = v.ends.empty() ? v.to_s : v.ends.from_s;
  SampleRange out{first_at(trace, block, from), first_at(trace, block, to)};
  // The instant at which a cell begins is the visit's own.
  if (trace.kind() == SampleKind::instant && !v.ends.empty())
    out.to = std::min(block.count, out.to + 1);
  out.to = std::max(out.to, out.from);
  return out;
}

double width_at(const Trace& trace, const Block& block, std::int64_t at) {
  at = std::clamp<std::int64_t>(at, 0, block.count - 1);
  return trace.time_base().seconds(tick_of(trace, block, at + 1) - tick_of(trace, block, at));
}

/// sum sigma_i^2 d_i^2 over a cell's samples, each with the noise of the side that it lies on;
/// `middle` parts them.
double noise_charge(const Trace& trace, const Block& block, SampleRange cell, double middle,
                    const Level& left, const Level& right) {
  double out = 0;
  for (std::int64_t i = cell.from; i < cell.to; ++i) {
    double width = width_at(trace, block, i);
    if (trace.kind() == SampleKind::instant) {  // half of what lies to each neighbour
      const double after = i + 1 < cell.to ? width : 0;
      const double before = i > cell.from ? width_at(trace, block, i - 1) : 0;
      width = (after + before) / 2;
    }
    const double at = trace.time_base().seconds(tick_of(trace, block, i));
    const double sigma = at < middle ? left.noise : right.noise;
    out += sigma * sigma * width * width;
  }
  return out;
}

}  // namespace

std::optional<SampleRange> find_cell(const Trace& trace, const Block& block, SampleRange left,
                                     SampleRange right) {
  const bool line = trace.kind() == SampleKind::instant;
  // Averaged samples of the cell are gone for the levels; the ends of a line are not.
  SampleRange cell{left.to - 1, right.from + 1};
  const std::int64_t first = line ? left.from : left.from + 1;
  const std::int64_t last = line ? right.to : right.to - 1;
  if (cell.from < first || cell.to > last) return std::nullopt;
  const SampleRange before{left.from, line ? cell.from + 1 : cell.from},
      after{line ? cell.to - 1 : cell.to, right.to};
  const Around around(trace, block, cell);
  const Level l = level_aside(around, before, true), r = level_aside(around, after, false);
  const Side on_left{l, r}, on_right{r, l};
  // The next sample beyond the cell: of a line its own end.
  const auto next_left = [&] { return line ? cell.from : cell.from - 1; };
  const auto next_right = [&] { return line ? cell.to - 1 : cell.to; };
  for (std::int64_t n = 0; n < kMostGrowth && cell.from > first; ++n) {
    if (!on_left.off(around[next_left()])) break;
    --cell.from;
  }
  for (std::int64_t n = 0; n < kMostGrowth && cell.to < last; ++n) {
    if (!on_right.off(around[next_right()])) break;
    ++cell.to;
  }
  if (next_left() >= left.from && on_left.still_changing(around[next_left()])) return std::nullopt;
  if (next_right() < right.to && on_right.still_changing(around[next_right()])) return std::nullopt;
  return cell;
}

double EdgeFigures::left_charge_u() const { return std::fabs(left) * u_s; }
double EdgeFigures::right_charge_u() const { return std::fabs(right) * u_s; }

EdgeFigures edge_figures(const Trace& trace, const Visit& left, const Visit& right) {
  EdgeFigures out;
  const Cell& cell = right.begins;
  out.at_s = right.from_s;
  const Block* block = block_at(trace, cell.empty() ? right.from_s : cell.from_s);
  if (!block) return out;
  const SampleRange before = beyond_cells(trace, *block, left),
                    after = beyond_cells(trace, *block, right);
  const Around around(trace, *block, {before.to, after.from});
  const Level l = level_beside(around, before, true), r = level_beside(around, after, false);
  out.left = l.value;
  out.right = r.value;
  if (cell.empty()) {
    out.u_s = width_at(trace, *block, cell_at(trace, *block, trace.time_base().ticks(out.at_s))) /
              std::sqrt(12.0);
    return out;
  }
  SampleRange samples{first_at(trace, *block, cell.from_s), first_at(trace, *block, cell.to_s)};
  if (trace.kind() == SampleKind::instant) ++samples.to;
  const double charge = measure(trace, cell.from_s, cell.to_s).charge;
  const double length = cell.to_s - cell.from_s, step = r.value - l.value;
  const double t = step != 0 ? (r.value * length - charge) / step : length / 2;
  const double inside = std::clamp(t, 0.0, length);
  out.at_s = t <= 0 ? cell.from_s : t >= length ? cell.to_s : cell.from_s + t;
  out.left_charge = t <= 0 ? 0 : t >= length ? charge : l.value * t;
  out.right_charge = charge - out.left_charge;
  const double noise = noise_charge(trace, *block, samples, out.at_s, l, r);
  out.clear = std::fabs(step) * length >= kClear * std::sqrt(noise) && step != 0;
  double square = noise + std::pow(inside * l.u(), 2) + std::pow((length - inside) * r.u(), 2);
  square /= step * step;
  if (trace.kind() == SampleKind::instant && samples.count() == 2) square += length * length / 12;
  out.u_s = step != 0 ? std::sqrt(square) : length / std::sqrt(12.0);
  return out;
}

std::optional<Extremes> own_extremes(const Trace& trace, const Cell& cell, const EdgeFigures& edge,
                                     const Visit& visit) {
  const Block* block = cell.empty() ? nullptr : block_at(trace, cell.from_s);
  if (!block) return std::nullopt;
  std::optional<Extremes> out;
  const TimeBase base = trace.time_base();
  const bool line = trace.kind() == SampleKind::instant;
  const std::int64_t to = first_at(trace, *block, cell.to_s) + (line ? 1 : 0);
  for (std::int64_t i = first_at(trace, *block, cell.from_s); i < std::min(to, block->count); ++i) {
    const double begin = base.seconds(tick_of(trace, *block, i));
    const double end = line ? begin : base.seconds(tick_of(trace, *block, i + 1));
    if (begin < visit.from_s || end > visit.to_s) continue;
    double x = 0;
    trace.read(*block, i, {&x, 1});
    if (between(x, edge.left, edge.right)) continue;
    out = out ? Extremes{std::min(out->lo, x), std::max(out->hi, x)} : Extremes{x, x};
  }
  return out;
}

}  // namespace kuvio
