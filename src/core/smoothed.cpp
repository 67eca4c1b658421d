// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/smoothed.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <iterator>
#include <set>

namespace kuvio {

Smoothed::Smoothed(const Trace& trace, const Block& block, const Smoothing& smoothing,
                   const std::function<double()>& noise)
    : trace_(trace), block_(block), smoothing_(smoothing), noise_(noise) {
  if (!smooths()) return;
  half_ticks_ = std::llround(static_cast<double>(trace.time_base().ticks(smoothing.over_s)) / 2);
  if (block.period > 0) half_ = half_ticks_ / block.period;
}

std::int64_t Smoothed::tick(std::int64_t at) const { return tick_of(trace_, block_, at); }

std::int64_t Smoothed::first_of(std::int64_t from) const {
  if (!smooths()) return from;
  if (block_.period > 0) return std::max<std::int64_t>(0, from - half_);
  // The first sample no further away than half the window.
  const std::int64_t wanted = tick(from) - half_ticks_;
  std::int64_t low = 0, high = from;
  while (low < high) {
    const std::int64_t middle = low + (high - low) / 2;
    if (tick(middle) < wanted) {
      low = middle + 1;
    } else {
      high = middle;
    }
  }
  return low;
}

std::int64_t Smoothed::end_of(std::int64_t to) const {
  if (!smooths()) return to;
  if (block_.period > 0) return std::min(block_.count, to + half_);
  const std::int64_t last = to - 1, wanted = tick(last) + half_ticks_;
  std::int64_t low = last, high = block_.count - 1;
  while (low < high) {
    const std::int64_t middle = low + (high - low + 1) / 2;
    if (tick(middle) > wanted) {
      high = middle - 1;
    } else {
      low = middle;
    }
  }
  return low + 1;
}

void Smoothed::read(std::int64_t from, std::span<double> out) {
  if (!smooths()) return trace_.read(block_, from, out);
  if (out.empty()) return;
  raw_from_ = first_of(from);
  raw_.resize(
      static_cast<std::size_t>(end_of(from + static_cast<std::int64_t>(out.size())) - raw_from_));
  trace_.read(block_, raw_from_, raw_);
  find_windows(from, out.size());
  switch (smoothing_.take) {
    case Smoothing::Take::max:
      return maxima(out);
    case Smoothing::Take::mean:
      return means(out);
    case Smoothing::Take::median:
      return medians(out);
  }
}

/// Of each value, which of what was read it is made of.
void Smoothed::find_windows(std::int64_t from, std::size_t count) {
  windows_.resize(count);
  const auto own = static_cast<std::size_t>(from - raw_from_);
  if (block_.period > 0) {
    const auto half = static_cast<std::size_t>(half_);
    for (std::size_t i = 0; i < count; ++i) {
      const std::size_t at = own + i;
      windows_[i] = {at > half ? at - half : 0, std::min(raw_.size(), at + half + 1)};
    }
    return;
  }
  times_.resize(raw_.size());
  trace_.read_times(block_, raw_from_, times_);
  std::size_t begin = 0, end = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const std::int64_t at = times_[own + i];
    while (times_[begin] < at - half_ticks_) ++begin;
    while (end < times_.size() && times_[end] <= at + half_ticks_) ++end;
    windows_[i] = {begin, end};
  }
}

/// Each sample enters and leaves a queue of falling values once.
void Smoothed::maxima(std::span<double> out) {
  std::deque<std::size_t> queue;
  std::size_t next = 0;
  for (std::size_t i = 0; i < out.size(); ++i) {
    for (; next < windows_[i].end; ++next) {
      while (!queue.empty() && raw_[queue.back()] <= raw_[next]) queue.pop_back();
      queue.push_back(next);
    }
    while (queue.front() < windows_[i].begin) queue.pop_front();
    out[i] = raw_[queue.front()];
  }
}

void Smoothed::means(std::span<double> out) {
  const double noise = noise_();
  std::vector<double> sums{0};  // before each sample
  sums.reserve(raw_.size() + 1);
  for (const double x : raw_) sums.push_back(sums.back() + std::asinh(x / noise));
  for (std::size_t i = 0; i < out.size(); ++i) {
    const auto [begin, end] = windows_[i];
    out[i] = noise * std::sinh((sums[end] - sums[begin]) / static_cast<double>(end - begin));
  }
}

/// The window's values in order, and the place of the lower middle one among them.
void Smoothed::medians(std::span<double> out) {
  std::multiset<double> lower, upper;  // as many each, or one more in the lower
  const auto balance = [&] {
    while (lower.size() > upper.size() + 1) {
      upper.insert(*lower.rbegin());
      lower.erase(std::prev(lower.end()));
    }
    while (upper.size() > lower.size()) {
      lower.insert(*upper.begin());
      upper.erase(upper.begin());
    }
  };
  std::size_t first = 0, next = 0;
  for (std::size_t i = 0; i < out.size(); ++i) {
    for (; next < windows_[i].end; ++next) {
      (lower.empty() || raw_[next] <= *lower.rbegin() ? lower : upper).insert(raw_[next]);
      balance();
    }
    for (; first < windows_[i].begin; ++first) {
      auto& set = raw_[first] <= *lower.rbegin() ? lower : upper;
      set.erase(set.find(raw_[first]));
      balance();
    }
    out[i] = lower.size() > upper.size() ? *lower.rbegin() : (*lower.rbegin() + *upper.begin()) / 2;
  }
}

}  // namespace kuvio
