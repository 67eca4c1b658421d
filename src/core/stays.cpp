// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/stays.h"

#include "core/measure.h"
#include "core/node_sizes.h"
#include "core/smoothed.h"

#include <queue>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <limits>
#include <optional>

namespace kuvio {
namespace {

constexpr std::int64_t kTransition = 5;  // samples

const StateRule* rule_of(const Recipe& recipe, int state) {
  return state == kNoRule ? nullptr : &recipe.states[static_cast<std::size_t>(state)];
}

/// Reads a block sample by sample through a buffer, and lets whole strides be skipped.
class StayScanner {
public:
  StayScanner(const Trace& trace, const Block& block, const Recipe& recipe,
              const std::vector<Ban>& bans, const std::function<double()>& noise)
      : trace_(trace),
        recipe_(recipe),
        block_(block),
        bans_(bans),
        smoothed_(trace, block, recipe.smooth, noise),
        buffer_(smoothed_.smooths() ? smoothed_.piece() : 4096) {}

  std::vector<Stay> stays() {
    std::vector<Stay> out;
    std::int64_t at = 0;
    while (at < block_.count) {
      const int state = enter(value(at), at);
      const std::int64_t left = leave(state, at + 1);
      if (!out.empty() && out.back().state == state) {
        out.back().to = left;
      } else {
        out.push_back({state, at, left, {}, {}});
      }
      at = left;
    }
    if (smoothed_.smooths()) put_back(out);
    return out;
  }

private:
  int enter(double x, std::int64_t at) {
    for (std::size_t i = 0; i < recipe_.states.size(); ++i) {
      if (recipe_.states[i].enters(x) && !banned(static_cast<int>(i), at))
        return static_cast<int>(i);
    }
    return kNoRule;
  }
  /// Asked for samples that rise.
  bool banned(int state, std::int64_t at) {
    while (first_ban_ < bans_.size() && bans_[first_ban_].to <= at) ++first_ban_;
    for (std::size_t i = first_ban_; i < bans_.size() && bans_[i].from <= at; ++i) {
      if (bans_[i].state == state && at < bans_[i].to) return true;
    }
    return false;
  }

  /// First sample from `at` on that is no longer held by the state.
  std::int64_t leave(int state, std::int64_t at) {
    const StateRule* rule = rule_of(recipe_, state);
    while (at < block_.count) {
      if (rule) {
        const std::int64_t skipped = skip_held(rule->level, at);
        if (skipped > at) {
          at = skipped;
          continue;
        }
      }
      const double x = value(at);
      const bool held = rule ? rule->level.holds(x) : enter(x, at) == kNoRule;
      if (!held) return at;
      ++at;
    }
    return block_.count;
  }

  /// Skips strides that start at `at` and lie inside the band as a whole, with all that is smoothed
  /// into them.
  std::int64_t skip_held(const Band& band, std::int64_t at) {
    for (const std::int64_t size : kNodeSizes) {
      if (at % size != 0) continue;
      if (at + size > block_.count) continue;
      std::int64_t from = smoothed_.first_of(at), to = smoothed_.end_of(at + size);
      if (smoothed_.smooths()) {  // strides of which sums are ready
        constexpr std::int64_t kLeast = kNodeSizes.back();
        from = from / kLeast * kLeast;
        to = std::min(block_.count, (to + kLeast - 1) / kLeast * kLeast);
      }
      const CellSum sum = trace_.sum(block_, from, to);
      if (band.holds(sum.lo) && band.holds(sum.hi)) return at + size;
    }
    return at;
  }

  double value(std::int64_t at) {
    if (at < buffered_from_ || at >= buffered_to_) {
      buffered_from_ = at;
      buffered_to_ = std::min(block_.count, at + static_cast<std::int64_t>(buffer_.size()));
      smoothed_.read(at, {buffer_.data(), static_cast<std::size_t>(buffered_to_ - at)});
    }
    return buffer_[static_cast<std::size_t>(at - buffered_from_)];
  }

  /// Edges from where the window smeared them to where the samples cross.
  void put_back(std::vector<Stay>& stays) {
    for (std::size_t i = 1; i < stays.size(); ++i) {
      const std::int64_t edge = stays[i].from;
      std::array<double, 2> beside{};
      smoothed_.read(edge - 1, beside);
      const double level =
          crossed_threshold(recipe_, stays[i - 1].state, stays[i].state, beside[0], beside[1]);
      if (!std::isfinite(level)) continue;
      const std::int64_t from = std::max(stays[i - 1].from + 1, smoothed_.first_of(edge - 1)),
                         to = std::min(stays[i].to, smoothed_.end_of(edge + 1));
      if (from >= to) continue;
      stays[i].from = stays[i - 1].to = crossing(from, to, level, beside[1] > beside[0], edge);
    }
  }

  /// In samples [from, to): the first that belongs to what comes after the edge.
  std::int64_t crossing(std::int64_t from, std::int64_t to, double level, bool rises,
                        std::int64_t otherwise) {
    std::vector<double> raw(static_cast<std::size_t>(to - from));
    trace_.read(block_, from, raw);
    const auto above = [&](std::size_t i) { return raw[i] >= level; };
    if (recipe_.smooth.take == Smoothing::Take::max) {
      // What is above counts, wherever it stands.
      if (rises) {
        for (std::size_t i = 0; i < raw.size(); ++i) {
          if (above(i)) return from + static_cast<std::int64_t>(i);
        }
      } else {
        for (std::size_t i = raw.size(); i-- > 0;) {
          if (above(i)) return std::min(to - 1, from + static_cast<std::int64_t>(i) + 1);
        }
      }
      return otherwise;
    }
    // So that fewest before it lie as those after it should, and the other way round.
    std::int64_t wrong = 0;
    for (std::size_t i = 0; i < raw.size(); ++i) wrong += above(i) != rises ? 1 : 0;
    std::int64_t best = otherwise, least = std::numeric_limits<std::int64_t>::max();
    for (std::size_t i = 0; i < raw.size(); ++i) {
      const std::int64_t at = from + static_cast<std::int64_t>(i);
      if (wrong < least ||
          (wrong == least && std::abs(at - otherwise) < std::abs(best - otherwise))) {
        least = wrong;
        best = at;
      }
      wrong += above(i) == rises ? 1 : -1;
    }
    return best;
  }

  const Trace& trace_;
  const Recipe& recipe_;
  const Block& block_;
  const std::vector<Ban>& bans_;
  std::size_t first_ban_ = 0;  // those before have ended
  Smoothed smoothed_;
  std::vector<double> buffer_;
  std::int64_t buffered_from_ = 0, buffered_to_ = 0;
};

double time_of(const Trace& trace, const Block& block, std::int64_t at) {
  return trace.time_base().seconds(tick_of(trace, block, at));
}
double length_of(const Trace& trace, const Block& block, const Stay& stay) {
  return time_of(trace, block, stay.to) - time_of(trace, block, stay.from);
}

double mean_of(const Trace& trace, const Block& block, const Stay& stay) {
  const CellSum sum = trace.sum(block, stay.from, stay.to);
  const double width =
      block.period > 0
          ? static_cast<double>(stay.samples())
          : static_cast<double>(tick_of(trace, block, stay.to) - tick_of(trace, block, stay.from));
  return width > 0 ? sum.q / width : sum.lo;
}

/// Whether a stay lasts less than its rule asks for.
bool is_short(double length, const StateRule* rule) {
  return rule && length < rule->shortest_s * (1 - 1e-9);
}

/// Stays in a row from which any can be taken out by its neighbour: a doubly linked list, and a
/// queue of those that are too short, so that very many of a noisy trace cost n log n.
class Row {
public:
  Row(const Trace& trace, const Block& block, const Recipe& recipe, const std::vector<Stay>& stays,
      const std::function<double()>& noise)
      : trace_(trace), block_(block), recipe_(recipe), noise_of_(noise) {
    const std::size_t n = stays.size();
    links_.reserve(n);
    for (std::size_t i = 0; i < n; ++i) {
      links_.push_back({stays[i],
                        length_of(trace, block, stays[i]),
                        {},
                        i == 0 ? kEnd : i - 1,
                        i + 1 == n ? kEnd : i + 1});
    }
    for (std::size_t i = 0; i < n; ++i) enqueue(i);
  }

  std::vector<Stay> absorbed() {
    if (!queue_.empty()) noise_ = noise_of_();
    while (!queue_.empty()) {
      const Wait wait = queue_.top();
      queue_.pop();
      const Link& link = links_[wait.link];
      if (!link.alive || link.version != wait.version) continue;
      take_in(nearer_neighbour(wait.link), wait.link);
    }
    std::vector<Stay> out;
    for (std::size_t i = 0; i != kEnd; i = links_[i].right) out.push_back(links_[i].stay);
    return out;
  }

private:
  static constexpr std::size_t kEnd = SIZE_MAX;
  struct Link {
    Stay stay;
    double length;
    std::optional<double> mean;  // asked for by few
    std::size_t left, right;
    bool alive = true;
    std::uint32_t version = 0;  // of its length: what waits under an older one is out of date
  };
  struct Wait {
    double length;
    std::size_t link;
    std::uint32_t version;
    bool operator<(const Wait& o) const {
      return length != o.length ? length > o.length : link > o.link;
    }
  };

  void enqueue(std::size_t i) {
    const Link& link = links_[i];
    const bool cut = link.left == kEnd || link.right == kEnd;
    if (!cut && is_short(link.length, rule_of(recipe_, link.stay.state)))
      queue_.push({link.length, i, link.version});
  }

  double mean(std::size_t i) {
    Link& link = links_[i];
    if (!link.mean) link.mean = mean_of(trace_, block_, link.stay);
    return *link.mean;
  }
  double distance(std::size_t a, std::size_t b) {
    return std::fabs(std::asinh(mean(a) / noise_) - std::asinh(mean(b) / noise_));
  }
  std::size_t nearer_neighbour(std::size_t i) {
    const std::size_t l = links_[i].left, r = links_[i].right;
    return distance(l, i) <= distance(i, r) ? l : r;
  }

  /// The neighbour `other` becomes part of `into`, whose state stays.
  void merge(std::size_t into, std::size_t other) {
    Link &a = links_[into], &b = links_[other];
    const double length = a.length + b.length;
    if (length > 0) a.mean = (mean(into) * a.length + mean(other) * b.length) / length;
    a.length = length;
    a.stay.from = std::min(a.stay.from, b.stay.from);
    a.stay.to = std::max(a.stay.to, b.stay.to);
    if (a.right == other) {
      a.right = b.right;
      if (b.right != kEnd) links_[b.right].left = into;
    } else {
      a.left = b.left;
      if (b.left != kEnd) links_[b.left].right = into;
    }
    b.alive = false;
    ++a.version;
  }
  /// The first link is where the row begins: it takes part under its own number for ever.
  void take_in(std::size_t into, std::size_t other) {
    merge(into, other);
    for (const std::size_t next : {links_[into].left, links_[into].right}) {
      if (next == kEnd || links_[next].stay.state != links_[into].stay.state) continue;
      if (next == 0) {
        merge(0, into);
        into = 0;
      } else {
        merge(into, next);
      }
    }
    enqueue(into);
  }

  const Trace& trace_;
  const Block& block_;
  const Recipe& recipe_;
  const std::function<double()>& noise_of_;
  double noise_ = 1;
  std::vector<Link> links_;
  std::priority_queue<Wait> queue_;
};

/// Whether samples [from, to) rise, or fall, throughout between two levels.
bool is_transition(const Trace& trace, const Block& block, std::int64_t from, std::int64_t to,
                   double before, double after) {
  std::array<double, kTransition> v{};
  const auto n = static_cast<std::size_t>(to - from);
  trace.read(block, from, std::span(v).first(n));
  const double sign = after > before ? 1 : -1;
  double last = before;
  for (std::size_t i = 0; i < n; ++i) {
    if (!(sign * (v[i] - last) > 0)) return false;
    last = v[i];
  }
  return sign * (after - last) > 0;
}

}  // namespace

double crossed_threshold(const Recipe& recipe, int left, int right, double x_left, double x_right) {
  const bool rising = x_right > x_left;
  if (left != kNoRule) {
    const Band& band = recipe.states[static_cast<std::size_t>(left)].level;
    return rising ? band.release_high : band.release_low;
  }
  if (right != kNoRule) {
    const Band& band = recipe.states[static_cast<std::size_t>(right)].level;
    return rising ? band.low : band.high;
  }
  return (x_left + x_right) / 2;
}

std::int64_t sample_at(const Trace& trace, const Block& block, double at_s) {
  const auto tick = std::clamp(trace.time_base().ticks(at_s), static_cast<long double>(block.start),
                               static_cast<long double>(block.end));
  return cell_at(trace, block, tick);
}

std::vector<Stay> stays_by_level(const Trace& trace, const Block& block, const Recipe& recipe,
                                 const std::vector<Ban>& bans,
                                 const std::function<double()>& noise) {
  return StayScanner(trace, block, recipe, bans, noise).stays();
}

std::vector<Stay> join_stays(const Trace& trace, const Block& block, const Recipe& recipe,
                             std::vector<Stay> stays) {
  for (std::size_t i = 0; i < recipe.states.size(); ++i) {
    const double gap_s = recipe.states[i].join_gaps_s;
    if (!(gap_s > 0)) continue;
    const int state = static_cast<int>(i);
    std::vector<Stay> out;
    std::size_t last = 0;  // 1 + index in out of the last stay of this state
    for (const Stay& stay : stays) {
      if (stay.state == state && last > 0 &&
          time_of(trace, block, stay.from) - time_of(trace, block, out[last - 1].to) <= gap_s) {
        out.resize(last);
        out.back().to = stay.to;
      } else {
        out.push_back(stay);
        if (stay.state == state) last = out.size();
      }
    }
    stays = std::move(out);
  }
  return stays;
}

std::vector<Stay> absorb_short_stays(const Trace& trace, const Block& block, const Recipe& recipe,
                                     std::vector<Stay> stays,
                                     const std::function<double()>& noise) {
  if (stays.size() < 3) return stays;
  return Row(trace, block, recipe, stays, noise).absorbed();
}

std::vector<Stay> drop_transitions(const Trace& trace, const Block& block, const Recipe& recipe,
                                   std::vector<Stay> stays) {
  const auto stands = [&](const Stay& s) {  // is a visit whatever lies beside it
    const StateRule* rule = rule_of(recipe, s.state);
    return s.samples() > kTransition ||
           (rule && rule->shortest_s > 0 && !is_short(length_of(trace, block, s), rule));
  };
  std::vector<Stay> out;
  for (std::size_t i = 0; i < stays.size();) {
    if (out.empty() || stands(stays[i])) {
      out.push_back(stays[i++]);
      continue;
    }
    // A change may pass several bands on its way.
    std::size_t end = i;
    while (end < stays.size() && !stands(stays[end]) &&
           stays[end].to - stays[i].from <= kTransition)
      ++end;
    bool dropped = false;
    for (; end > i && !dropped; --end) {
      if (end == stays.size()) continue;
      const double before = mean_of(trace, block, out.back()),
                   after = mean_of(trace, block, stays[end]);
      if (out.back().state != stays[end].state &&
          is_transition(trace, block, stays[i].from, stays[end].from, before, after)) {
        i = end;
        dropped = true;
      }
    }
    if (!dropped) out.push_back(stays[i++]);
  }
  return out;
}

}  // namespace kuvio
