// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/trace.h"

#include "core/compensated_sum.h"

#include <algorithm>
#include <array>
#include <optional>
#include <stdexcept>

namespace kuvio {
namespace {
constexpr std::int64_t kStride = 256;
}

namespace {
/// Ticks of an input with a clock of its own lie on the capture's axis to a nanosecond.
constexpr double kSame = 2e-9;  // s
}  // namespace

double Trace::from_s() const {
  std::optional<double> from;
  if (!blocks().empty()) from = time_base().seconds(blocks().front().start);
  for (const FlagRun& run : flags()) {
    if (!from || run.from_s < *from - kSame) from = run.from_s;
  }
  return from.value_or(0);
}

double Trace::to_s() const {
  std::optional<double> to;
  if (!blocks().empty()) to = time_base().seconds(blocks().back().end);
  for (const FlagRun& run : flags()) {
    if (!to || run.to_s > *to + kSame) to = run.to_s;
  }
  return to.value_or(0);
}

std::int64_t Trace::samples() const {
  return blocks().empty() ? 0 : blocks().back().first + blocks().back().count;
}

void accumulate(CellSum& sum, const CellSum& more) {
  sum.lo = std::min(sum.lo, more.lo);
  sum.hi = std::max(sum.hi, more.hi);
  sum.q += more.q;
  sum.r += more.r;
}

Extremes extremes_of(std::span<const double> values) {
  // Several at a time: one after the other each comparison waits for the one before.
  constexpr std::size_t kLanes = 8;
  std::array<double, kLanes> lo, hi;
  lo.fill(values[0]);
  hi.fill(values[0]);
  const auto take = [&](std::size_t lane, double v) {
    lo[lane] = v < lo[lane] ? v : lo[lane];
    hi[lane] = v > hi[lane] ? v : hi[lane];
  };
  std::size_t i = 0;
  for (; i + kLanes <= values.size(); i += kLanes) {
    for (std::size_t lane = 0; lane < kLanes; ++lane) take(lane, values[i + lane]);
  }
  for (; i < values.size(); ++i) take(0, values[i]);
  for (std::size_t lane = 1; lane < kLanes; ++lane) {
    lo[0] = lo[lane] < lo[0] ? lo[lane] : lo[0];
    hi[0] = hi[lane] > hi[0] ? hi[lane] : hi[0];
  }
  return {lo[0], hi[0], true};
}

CellSum sum_cells(SampleKind kind, std::span<const double> values, const double* next,
                  std::span<const std::int64_t> times) {
  const Extremes range = extremes_of(values);
  CellSum out{range.lo, range.hi, 0, 0};
  const std::size_t n = values.size();
  const auto width = [&](std::size_t i) { return static_cast<double>(times[i + 1] - times[i]); };
  if (kind == SampleKind::averaged) {
    if (times.empty()) {
      for (const double v : values) {
        out.q += v;
        out.r += v * v;
      }
    } else {
      for (std::size_t i = 0; i < n; ++i) {
        out.q += values[i] * width(i);
        out.r += values[i] * values[i] * width(i);
      }
    }
    return out;
  }
  const auto line = [&](double a, double b, double d) {
    out.q += (a + b) / 2 * d;
    out.r += (a * a + a * b + b * b) / 3 * d;
  };
  if (times.empty()) {
    for (std::size_t i = 0; i + 1 < n; ++i) line(values[i], values[i + 1], 1);
    if (next) line(values[n - 1], *next, 1);
  } else {
    for (std::size_t i = 0; i + 1 < n; ++i) line(values[i], values[i + 1], width(i));
    if (next) line(values[n - 1], *next, width(n - 1));
  }
  return out;
}

std::int64_t tick_of(const Trace& trace, const Block& block, std::int64_t at) {
  if (at >= block.count) return block.end;
  if (block.period > 0) return block.start + at * block.period;
  std::int64_t tick = 0;
  trace.read_times(block, at, {&tick, 1});
  return tick;
}

void MemoryTrace::append(std::int64_t start, std::int64_t period, std::span<const double> values) {
  if (values.empty() || period <= 0)
    throw std::invalid_argument("a block needs samples and a period");
  Block block{start, period, 0, 0, static_cast<std::int64_t>(values.size())};
  block.end = start + (block.count - (kind_ == SampleKind::instant ? 1 : 0)) * period;
  add(block, values, {});
}

void MemoryTrace::append(std::span<const std::int64_t> times, std::span<const double> values,
                         std::int64_t end) {
  if (values.empty() || times.size() != values.size()) {
    throw std::invalid_argument("a block needs as many times as samples");
  }
  Block block{times.front(), 0, kind_ == SampleKind::instant ? times.back() : end, 0,
              static_cast<std::int64_t>(values.size())};
  add(block, values, times);
}

void MemoryTrace::add(Block block, std::span<const double> values,
                      std::span<const std::int64_t> times) {
  if (!blocks_.empty() && block.start < blocks_.back().end) {
    throw std::invalid_argument("a block begins before the last one ended");
  }
  block.first = static_cast<std::int64_t>(values_.size());
  blocks_.push_back(block);
  stride_base_.push_back(strides_.size());
  values_.insert(values_.end(), values.begin(), values.end());
  if (times.empty()) {
    times_.resize(values_.size(), 0);
  } else {
    times_.insert(times_.end(), times.begin(), times.end());
  }
  for (std::int64_t at = 0; at < block.count; at += kStride) {
    strides_.push_back(direct(block, at, std::min(block.count, at + kStride)));
  }
}

void MemoryTrace::read(const Block& block, std::int64_t at, std::span<double> out) const {
  std::copy_n(values_.begin() + block.first + at, out.size(), out.begin());
}

void MemoryTrace::read_times(const Block& block, std::int64_t at,
                             std::span<std::int64_t> out) const {
  std::copy_n(times_.begin() + block.first + at, out.size(), out.begin());
}

CellSum MemoryTrace::direct(const Block& block, std::int64_t from, std::int64_t to) const {
  const auto begin = static_cast<std::size_t>(block.first + from);
  const auto n = static_cast<std::size_t>(to - from);
  const std::span<const double> values(values_.data() + begin, n);
  const double* next = to < block.count ? values.data() + n : nullptr;
  if (block.period > 0) return sum_cells(kind_, values, next);
  std::vector<std::int64_t> times(times_.begin() + static_cast<std::ptrdiff_t>(begin),
                                  times_.begin() + static_cast<std::ptrdiff_t>(begin + n));
  times.push_back(tick_of(*this, block, to));
  return sum_cells(kind_, values, next, times);
}

CellSum MemoryTrace::sum(const Block& block, std::int64_t from, std::int64_t to) const {
  const auto number = static_cast<std::size_t>(&block - blocks_.data());
  const std::size_t index =
      number < blocks_.size()
          ? number
          : static_cast<std::size_t>(
                std::find_if(blocks_.begin(), blocks_.end(),
                             [&](const Block& b) { return b.first == block.first; }) -
                blocks_.begin());
  const std::int64_t head = std::min(to, (from + kStride - 1) / kStride * kStride);
  const std::int64_t tail = std::max(head, to / kStride * kStride);
  CellSum out;
  bool any = false;
  Sum q, r;
  const auto take = [&](const CellSum& piece) {
    q += piece.q;
    r += piece.r;
    if (any) {
      out.lo = std::min(out.lo, piece.lo);
      out.hi = std::max(out.hi, piece.hi);
    } else {
      out = piece;
      any = true;
    }
  };
  if (head > from) take(direct(block, from, head));
  for (std::int64_t at = head; at < tail; at += kStride) {
    take(strides_[stride_base_[index] + static_cast<std::size_t>(at / kStride)]);
  }
  if (to > tail) take(direct(block, tail, to));
  out.q = q.value();
  out.r = r.value();
  return out;
}

}  // namespace kuvio
