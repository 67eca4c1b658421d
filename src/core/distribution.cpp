// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/distribution.h"

#include "core/measure.h"
#include "core/node_sizes.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace kuvio {

int Bins::of(double value) const {
  if (value < edges.front()) return -1;
  if (value >= edges.back()) return value == edges.back() ? count() - 1 : count();
  return static_cast<int>(std::upper_bound(edges.begin(), edges.end(), value) - edges.begin()) - 1;
}

double Distribution::quantile(double share) const {
  double left = share * observed_s - below_s;
  if (left <= 0 || time_s.empty()) return bins.edges.front();
  for (std::size_t i = 0; i < time_s.size(); ++i) {
    const double t = time_s[i];
    if (left <= t && t > 0) {
      const double a = bins.edges[i], b = bins.edges[i + 1];
      return a + (b - a) * left / t;
    }
    left -= t;
  }
  return bins.edges.back();
}

const Bins& fine_bins() {
  static const Bins bins = [] {
    constexpr int kPerDecade = 256, kFrom = -12, kTo = 3;
    Bins out;
    const int count = kPerDecade * (kTo - kFrom);
    for (int i = count; i >= 0; --i)
      out.edges.push_back(-std::pow(10.0, kFrom + static_cast<double>(i) / kPerDecade));
    out.edges.push_back(0);
    for (int i = 0; i <= count; ++i)
      out.edges.push_back(std::pow(10.0, kFrom + static_cast<double>(i) / kPerDecade));
    return out;
  }();
  return bins;
}

Bins both(const Bins& a, const Bins& b) {
  Bins out;
  std::set_union(a.edges.begin(), a.edges.end(), b.edges.begin(), b.edges.end(),
                 std::back_inserter(out.edges));
  return out;
}

Distribution gathered(const Distribution& fine, const Bins& bins) {
  Distribution out;
  out.bins = bins;
  out.time_s.assign(static_cast<std::size_t>(bins.count()), 0);
  out.charge.assign(static_cast<std::size_t>(bins.count()), 0);
  out.below_s = fine.below_s;
  out.above_s = fine.above_s;
  out.charge_below = fine.charge_below;
  out.charge_above = fine.charge_above;
  out.observed_s = fine.observed_s;
  out.whole = fine.whole;
  for (std::size_t i = 0; i < fine.time_s.size(); ++i) {
    const double a = fine.bins.edges[i];
    if (a < bins.edges.front()) {
      out.below_s += fine.time_s[i];
      out.charge_below += fine.charge[i];
    } else if (a >= bins.edges.back()) {
      out.above_s += fine.time_s[i];
      out.charge_above += fine.charge[i];
    } else {
      const auto at = static_cast<std::size_t>(bins.of(a));
      out.time_s[at] += fine.time_s[i];
      out.charge[at] += fine.charge[i];
    }
  }
  return out;
}

namespace {

constexpr std::int64_t kPiece = 4096;

class HistogramBuilder {
public:
  HistogramBuilder(const Trace& trace, double from_s, double to_s, const Bins& bins,
                   const std::function<bool()>& going_on)
      : trace_(trace), from_(from_s), to_(to_s), going_on_(going_on) {
    out_.bins = bins;
    out_.time_s.assign(static_cast<std::size_t>(bins.count()), 0);
    out_.charge.assign(static_cast<std::size_t>(bins.count()), 0);
  }

  /// One of `every` pieces of 4096 samples is looked at.
  Distribution run(std::int64_t every) {
    every_ = every;
    const TimeBase base = trace_.time_base();
    for (const Block& b : trace_.blocks()) {
      if (static_cast<long double>(b.end) <= base.ticks(from_) ||
          static_cast<long double>(b.start) >= base.ticks(to_))
        continue;
      block(b);
      if (stopped_) break;
    }
    out_.whole = every == 1 && !stopped_;
    const double all = measure(trace_, from_, to_).observed_s;
    const double factor = out_.observed_s > 0 && !out_.whole ? all / out_.observed_s : 1;
    for (auto* list : {&out_.time_s, &out_.charge}) {
      for (double& v : *list) v *= factor;
    }
    for (double* v :
         {&out_.below_s, &out_.above_s, &out_.observed_s, &out_.charge_below, &out_.charge_above})
      *v *= factor;
    return std::move(out_);
  }

private:
  void add(double value, double seconds) {
    const int bin = out_.bins.of(value);
    add_to(bin, seconds, value * seconds);
  }
  void add_to(int bin, double seconds, double charge) {
    out_.observed_s += seconds;
    if (bin < 0) {
      out_.below_s += seconds;
      out_.charge_below += charge;
    } else if (bin >= out_.bins.count()) {
      out_.above_s += seconds;
      out_.charge_above += charge;
    } else {
      out_.time_s[static_cast<std::size_t>(bin)] += seconds;
      out_.charge[static_cast<std::size_t>(bin)] += charge;
    }
  }

  /// One piece of each `every_` in a row, now an earlier one and now a later: what repeats with the
  /// pieces would be seen always or never.
  bool chosen(std::int64_t piece) const {
    const auto group = static_cast<std::uint64_t>(piece / every_);
    std::uint64_t x = group * 0x9e3779b97f4a7c15U + 0x9e3779b97f4a7c15U;  // splitmix64
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9U;
    x = (x ^ (x >> 27)) * 0x94d049bb133111ebU;
    x ^= x >> 31;
    return piece % every_ == static_cast<std::int64_t>(x % static_cast<std::uint64_t>(every_));
  }

  void block(const Block& b) {
    const TimeBase base = trace_.time_base();
    const std::int64_t first = cell_at(trace_, b, base.ticks(from_)),
                       last = std::min(b.count - 1, cell_at(trace_, b, base.ticks(to_)) + 1);
    for (std::int64_t at = first; at <= last && !stopped_;) {
      if (at % kPiece == 0 && every_ > 1 && !chosen(pieces_++)) {
        at += kPiece;
        continue;
      }
      if (going_on_ && !going_on_()) stopped_ = true;
      std::int64_t taken = 0;
      // A node's neighbours on both sides decide how its edge samples are weighed: only samples
      // that stand for their own interval, evenly spaced and wholly inside, are taken by the node.
      if (every_ == 1 && b.period > 0 && trace_.kind() == SampleKind::averaged && at > first) {
        for (const std::int64_t node : kNodeSizes) {
          if (at % node != 0 || at + node > last) continue;
          const Extremes range = trace_.extremes(b, at, at + node);
          const int bin = out_.bins.of(range.lo);
          if (bin != out_.bins.of(range.hi)) continue;
          const double period = base.seconds(b.period);
          add_to(bin, static_cast<double>(node) * period, trace_.sum(b, at, at + node).q * period);
          taken = node;
          break;
        }
      }
      if (taken == 0) {
        taken = std::min((at / 256 + 1) * 256, last + 1) - at;
        if (every_ > 1) taken = std::min((at / kPiece + 1) * kPiece, last + 1) - at;
        raw(b, at, at + taken);
      }
      at += taken;
    }
  }

  void raw(const Block& b, std::int64_t from, std::int64_t to) {
    const TimeBase base = trace_.time_base();
    // One more on each side, whose times bound those inside.
    const std::int64_t first = std::max<std::int64_t>(0, from - 1),
                       last = std::min(b.count, to + 1);
    values_.resize(static_cast<std::size_t>(last - first));
    times_.resize(values_.size() + 1);
    trace_.read(b, first, values_);
    if (b.period > 0) {
      for (std::size_t i = 0; i < times_.size(); ++i)
        times_[i] = base.seconds(b.start + (first + static_cast<std::int64_t>(i)) * b.period);
    } else {
      ticks_.resize(values_.size());
      trace_.read_times(b, first, ticks_);
      for (std::size_t i = 0; i < ticks_.size(); ++i) times_[i] = base.seconds(ticks_[i]);
      times_.back() = base.seconds(tick_of(trace_, b, last));
    }
    const bool averaged = trace_.kind() == SampleKind::averaged;
    for (std::int64_t i = from; i < to; ++i) {
      const auto k = static_cast<std::size_t>(i - first);
      double a = times_[k], z = times_[k];
      if (averaged) {
        z = i + 1 < b.count ? times_[k + 1] : base.seconds(b.end);
      } else {
        if (i > 0) a = (times_[k - 1] + times_[k]) / 2;
        if (i + 1 < b.count) z = (times_[k] + times_[k + 1]) / 2;
      }
      const double seconds = std::min(z, to_) - std::max(a, from_);
      if (seconds > 0) add(values_[k], seconds);
    }
  }

  const Trace& trace_;
  double from_, to_;
  const std::function<bool()>& going_on_;
  std::int64_t every_ = 1, pieces_ = 0;
  bool stopped_ = false;
  Distribution out_;
  std::vector<double> values_, times_;
  std::vector<std::int64_t> ticks_;
};

}  // namespace

Distribution distribution(const Trace& trace, double from_s, double to_s, const Bins& bins,
                          std::int64_t at_most, const std::function<bool()>& going_on) {
  std::int64_t samples = 0;
  const TimeBase base = trace.time_base();
  for (const Block& b : trace.blocks()) {
    const long double from = std::max<long double>(base.ticks(from_s), b.start),
                      to = std::min<long double>(base.ticks(to_s), b.end);
    if (to > from) samples += cell_at(trace, b, to) - cell_at(trace, b, from) + 1;
  }
  const std::int64_t every = std::max<std::int64_t>(1, (samples + at_most - 1) / at_most);
  return HistogramBuilder(trace, from_s, to_s, bins, going_on).run(every);
}

}  // namespace kuvio
