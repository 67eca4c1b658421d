// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/limited_stretches.h"

#include "core/node_sizes.h"

#include <algorithm>
#include <cstdint>
#include <limits>

namespace kuvio {
namespace {

/// Shows a watch the samples of the nodes that come near the limit, and what follows each for as
/// long as the watch may wait for the current to fall.
class Looking {
public:
  Looking(const Trace& current, double limit)
      : current_(current), near_(LimitWatch::kNear * limit), watch_(limit) {}

  LimitedTrace run() {
    for (const Block& block : current_.blocks()) {
      block_ = &block;
      walk(0, block.count, 0);
      // What was held up to a gap ends there.
      watch_.sample(seconds(block.count), std::numeric_limits<double>::quiet_NaN());
      take();
      look_to_s_ = -std::numeric_limits<double>::infinity();
    }
    return std::move(found_);
  }

private:
  static constexpr double kAfter = LimitWatch::kSoon + 2 * LimitWatch::kDown;  // s

  void walk(std::int64_t from, std::int64_t to, std::size_t level) {
    if (level == kNodeSizes.size()) return look(from, to);
    for (std::int64_t at = from; at < to; at += kNodeSizes[level]) {
      const std::int64_t end = std::min(to, at + kNodeSizes[level]);
      if (seconds(at) > look_to_s_ && current_.extremes(*block_, at, end).hi < near_) continue;
      walk(at, end, level + 1);
    }
  }

  void look(std::int64_t from, std::int64_t to) {
    values_.resize(static_cast<std::size_t>(to - from));
    current_.read(*block_, from, values_);
    for (std::size_t i = 0; i < values_.size(); ++i) {
      const double t = seconds(from + static_cast<std::int64_t>(i));
      watch_.sample(t, values_[i]);
      if (values_[i] >= near_) look_to_s_ = t + kAfter;
      take();
    }
  }

  void take() {
    if (const auto held = watch_.take_limited()) found_.stretches.push_back(*held);
    if (const auto round = watch_.take_round()) found_.rounds.push_back(*round);
  }

  double seconds(std::int64_t at) const {
    return current_.time_base().seconds(tick_of(current_, *block_, at));
  }

  const Trace& current_;
  double near_;
  LimitWatch watch_;
  const Block* block_ = nullptr;
  std::vector<double> values_;
  double look_to_s_ = -std::numeric_limits<double>::infinity();
  LimitedTrace found_;
};

}  // namespace

LimitedTrace limited_in(const Trace& current, double limit) {
  return Looking(current, limit).run();
}

}  // namespace kuvio
