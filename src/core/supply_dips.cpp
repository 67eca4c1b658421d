// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/supply_dips.h"

#include "core/node_sizes.h"

#include <algorithm>
#include <optional>
#include <utility>

namespace kuvio {
namespace {

/// Walks a voltage, from node to node while nothing crosses, sample by sample where something does.
class DipFinder {
public:
  DipFinder(const Trace& voltage, const DipRule& rule)
      : voltage_(voltage), begin_(rule.below * rule.usual), end_(rule.back * rule.usual) {}

  std::vector<SupplyDip> run() {
    for (const Block& block : voltage_.blocks()) {
      block_ = &block;
      walk(0, block.count, 0);
      if (open_) close(block.count, false);
    }
    return std::move(found_);
  }

private:
  /// Samples [from, to) of the block, which are one node of the level before.
  void walk(std::int64_t from, std::int64_t to, std::size_t level) {
    if (level == kNodeSizes.size()) return look(from, to);
    for (std::int64_t at = from; at < to; at += kNodeSizes[level]) {
      const std::int64_t node_end = std::min(to, at + kNodeSizes[level]);
      const Extremes e = voltage_.extremes(*block_, at, node_end);
      if (open_ ? e.hi < end_ : e.lo >= begin_) {
        if (open_) open_->lowest = std::min(open_->lowest, e.lo);
        continue;
      }
      walk(at, node_end, level + 1);
    }
  }

  void look(std::int64_t from, std::int64_t to) {
    values_.resize(static_cast<std::size_t>(to - from));
    voltage_.read(*block_, from, values_);
    for (std::size_t i = 0; i < values_.size(); ++i) {
      const std::int64_t at = from + static_cast<std::int64_t>(i);
      const double v = values_[i];
      if (open_ && v >= end_) close(at, true);
      if (!open_ && v < begin_) open_ = SupplyDip{seconds(at), 0, v, false, at > 0};
      if (open_) open_->lowest = std::min(open_->lowest, v);
    }
  }

  void close(std::int64_t at, bool recovers) {
    open_->to_s = seconds(at);
    open_->recovers = recovers;
    found_.push_back(*open_);
    open_.reset();
  }

  double seconds(std::int64_t at) const {
    return voltage_.time_base().seconds(tick_of(voltage_, *block_, at));
  }

  const Trace& voltage_;
  double begin_, end_;
  const Block* block_ = nullptr;
  std::vector<double> values_;
  std::optional<SupplyDip> open_;
  std::vector<SupplyDip> found_;
};

}  // namespace

double usual_voltage(const Trace& voltage) {
  constexpr std::int64_t kParts = 8192;
  const std::int64_t samples = voltage.samples();
  std::int64_t step = 1;  // a node that is ready, once there are too many samples to look at each
  for (auto size = kNodeSizes.rbegin(); size != kNodeSizes.rend() && samples / step > kParts;
       ++size)
    step = *size;
  step = std::max(step, samples / kParts / step * step);
  std::vector<std::pair<double, double>> levels;  // with how long (s)
  double highest = 0;
  for (const Block& block : voltage.blocks()) {
    for (std::int64_t at = 0; at < block.count; at += step) {
      const std::int64_t to = std::min(block.count, at + step);
      const Extremes e = voltage.extremes(block, at, to);
      const double length =
          voltage.time_base().seconds(tick_of(voltage, block, to) - tick_of(voltage, block, at));
      // The middle of a part, not its mean: a part that an edge cuts is one of many.
      levels.emplace_back((e.lo + e.hi) / 2, length);
      highest = std::max(highest, e.hi);
    }
  }
  std::erase_if(levels, [&](const auto& l) { return !(l.first > highest / 10); });
  std::sort(levels.begin(), levels.end());
  double whole = 0, so_far = 0;
  for (const auto& [level, length] : levels) whole += length;
  for (const auto& [level, length] : levels) {
    so_far += length;
    if (so_far >= whole / 2) return level;
  }
  return 0;
}

std::vector<SupplyDip> supply_dips(const Trace& voltage, const DipRule& rule) {
  return DipFinder(voltage, rule).run();
}

}  // namespace kuvio
