// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/split.h"

#include <queue>

#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>

namespace kuvio {

bool is_built_in_state(const std::string& name) {
  return name == kOff || name == kUnassigned || name == kMissing;
}

namespace {

constexpr int kNone = -1;  // Unassigned

/// A stay found in one block: cells [from, to) in a state (index of the rule, or kNone).
struct Stay {
  int state = kNone;
  std::int64_t from = 0, to = 0;
};

/// Reads a block sample by sample through a buffer, and lets whole strides be skipped.
class Walker {
public:
  Walker(const Trace& trace, const Recipe& recipe, const Block& block)
      : trace_(trace), recipe_(recipe), block_(block), buffer_(4096) {}

  std::vector<Stay> stays() {
    std::vector<Stay> out;
    std::int64_t at = 0;
    while (at < block_.count) {
      const int state = enter(value(at));
      const std::int64_t left = leave(state, at + 1);
      if (!out.empty() && out.back().state == state) {
        out.back().to = left;
      } else {
        out.push_back({state, at, left});
      }
      at = left;
    }
    return out;
  }

private:
  int enter(double x) const {
    for (std::size_t i = 0; i < recipe_.states.size(); ++i) {
      if (recipe_.states[i].level.enters(x)) return static_cast<int>(i);
    }
    return kNone;
  }

  /// First sample from `at` on that is no longer held by the state.
  std::int64_t leave(int state, std::int64_t at) {
    while (at < block_.count) {
      if (state != kNone) {
        const Band& band = recipe_.states[static_cast<std::size_t>(state)].level;
        const std::int64_t skipped = skip_held(band, at);
        if (skipped > at) {
          at = skipped;
          continue;
        }
      }
      const double x = value(at);
      const bool held = state == kNone
                            ? enter(x) == kNone
                            : recipe_.states[static_cast<std::size_t>(state)].level.holds(x);
      if (!held) return at;
      ++at;
    }
    return block_.count;
  }

  /// Skips strides that start at `at` and lie inside the band as a whole.
  std::int64_t skip_held(const Band& band, std::int64_t at) {
    constexpr std::array<std::int64_t, 3> kSizes{65536, 4096, 256};
    for (const std::int64_t size : kSizes) {
      if (at % size != 0) continue;
      if (at + size > block_.count) continue;
      const CellSum sum = trace_.sum(block_, at, at + size);
      if (band.holds(sum.lo) && band.holds(sum.hi)) return at + size;
    }
    return at;
  }

  double value(std::int64_t at) {
    if (at < buffered_from_ || at >= buffered_to_) {
      buffered_from_ = at;
      buffered_to_ = std::min(block_.count, at + static_cast<std::int64_t>(buffer_.size()));
      trace_.read(block_, at, {buffer_.data(), static_cast<std::size_t>(buffered_to_ - at)});
    }
    return buffer_[static_cast<std::size_t>(at - buffered_from_)];
  }

  const Trace& trace_;
  const Recipe& recipe_;
  const Block& block_;
  std::vector<double> buffer_;
  std::int64_t buffered_from_ = 0, buffered_to_ = 0;
};

/// Stays of one block with their times, joined and cleaned of those that are too short.
class Tidier {
public:
  Tidier(const Trace& trace, const Recipe& recipe, const Block& block, std::vector<Stay> stays)
      : trace_(trace), recipe_(recipe), block_(block), stays_(std::move(stays)) {}

  std::vector<Stay> run() {
    for (std::size_t i = 0; i < recipe_.states.size(); ++i) {
      if (recipe_.states[i].join_gaps_s > 0)
        join(static_cast<int>(i), recipe_.states[i].join_gaps_s);
    }
    absorb();
    return stays_;
  }

private:
  double time(std::int64_t cell) const {
    return trace_.time_base().seconds(tick_of(trace_, block_, cell));
  }
  double length(const Stay& stay) const { return time(stay.to) - time(stay.from); }
  double mean(std::int64_t from, std::int64_t to) const {
    const CellSum sum = trace_.sum(block_, from, to);
    const double width =
        block_.period > 0
            ? static_cast<double>(to - from)
            : static_cast<double>(tick_of(trace_, block_, to) - tick_of(trace_, block_, from));
    return width > 0 ? sum.q / width : sum.lo;
  }

  void join(int state, double gap_s) {
    std::vector<Stay> out;
    std::size_t last = 0;  // 1 + index in out of the last stay of this state
    for (const Stay& stay : stays_) {
      if (stay.state == state && last > 0 && time(stay.from) - time(out[last - 1].to) <= gap_s) {
        out.resize(last);
        out.back().to = stay.to;
      } else {
        out.push_back(stay);
        if (stay.state == state) last = out.size();
      }
    }
    stays_ = std::move(out);
  }

  double shortest(const Stay& stay) const {
    return stay.state == kNone ? 0
                               : recipe_.states[static_cast<std::size_t>(stay.state)].shortest_s;
  }

  /// Noise for the asinh scale: the smallest band edge that is above zero keeps quiet levels apart.
  double noise() const {
    double least = 1e300;
    for (const StateRule& rule : recipe_.states) {
      for (const double edge : {rule.level.low, rule.level.high}) {
        if (std::isfinite(edge) && edge > 0) least = std::min(least, edge);
      }
    }
    return least < 1e300 ? least / 10 : 1e-6;
  }

  /// Absorbs stays that are too short, the shortest first. A linked list and a queue keep it
  /// n log n when a noisy trace yields very many.
  void absorb() {
    const std::size_t n = stays_.size();
    if (n < 2) return;
    struct Node {
      Stay stay;
      double mean;
      std::size_t left, right;
      bool alive = true;
      std::uint32_t version = 0;
    };
    constexpr std::size_t kEnd = SIZE_MAX;
    std::vector<Node> nodes(n);
    struct Entry {
      double length;
      std::size_t node;
      std::uint32_t version;
      bool operator<(const Entry& o) const {
        return length != o.length ? length > o.length : node > o.node;
      }
    };
    std::priority_queue<Entry> queue;
    const auto enqueue = [&](std::size_t i) {
      const double d = length(nodes[i].stay);
      if (d < shortest(nodes[i].stay) * (1 - 1e-9)) queue.push({d, i, ++nodes[i].version});
    };
    for (std::size_t i = 0; i < n; ++i) {
      nodes[i] = {stays_[i], mean(stays_[i].from, stays_[i].to), i == 0 ? kEnd : i - 1,
                  i + 1 == n ? kEnd : i + 1};
      enqueue(i);
    }
    const double scale = noise();
    const auto distance = [&](std::size_t a, std::size_t b) {
      return std::fabs(std::asinh(nodes[a].mean / scale) - std::asinh(nodes[b].mean / scale));
    };
    // Merges `from` into its neighbour `into`, whose state stays.
    const auto merge = [&](std::size_t into, std::size_t from) {
      Node &a = nodes[into], &b = nodes[from];
      const double la = length(a.stay), lb = length(b.stay);
      if (la + lb > 0) a.mean = (a.mean * la + b.mean * lb) / (la + lb);
      a.stay.from = std::min(a.stay.from, b.stay.from);
      a.stay.to = std::max(a.stay.to, b.stay.to);
      if (a.right == from) a.right = b.right;
      if (a.left == from) a.left = b.left;
      if (b.right != kEnd && b.right != into) nodes[b.right].left = into;
      if (b.left != kEnd && b.left != into) nodes[b.left].right = into;
      b.alive = false;
    };
    while (!queue.empty()) {
      const Entry entry = queue.top();
      queue.pop();
      const std::size_t i = entry.node;
      if (!nodes[i].alive || nodes[i].version != entry.version) continue;
      const std::size_t l = nodes[i].left, r = nodes[i].right;
      if (l == kEnd && r == kEnd) break;
      const std::size_t into = l == kEnd                          ? r
                               : r == kEnd                        ? l
                               : distance(l, i) <= distance(i, r) ? l
                                                                  : r;
      merge(into, i);
      for (const std::size_t other : {nodes[into].left, nodes[into].right}) {
        if (other != kEnd && nodes[other].stay.state == nodes[into].stay.state) merge(into, other);
      }
      enqueue(into);
    }
    stays_.clear();
    std::size_t first = 0;
    while (!nodes[first].alive) ++first;
    while (nodes[first].left != kEnd) first = nodes[first].left;
    for (std::size_t i = first; i != kEnd; i = nodes[i].right) stays_.push_back(nodes[i].stay);
  }

  const Trace& trace_;
  const Recipe& recipe_;
  const Block& block_;
  std::vector<Stay> stays_;
};

/// Stretches with the output off, as [from, to).
std::vector<std::array<double, 2>> off_stretches(const Trace& trace,
                                                 const std::vector<OutputSwitch>& switches) {
  std::vector<std::array<double, 2>> out;
  double off_since = 0;
  bool off = !switches.empty() && switches.front().on;  // it was off before it was switched on
  if (off) off_since = trace.from_s();
  for (const OutputSwitch& s : switches) {
    if (s.on && off) {
      out.push_back({off_since, s.latest_s});
      off = false;
    } else if (!s.on && !off) {
      off_since = s.earliest_s;
      off = true;
    }
  }
  if (off) out.push_back({off_since, trace.to_s()});
  return out;
}

void lay_off(Visits& visits, double from, double to) {
  Visits out;
  for (Visit& v : visits) {
    const double a = std::max(from, v.from_s), b = std::min(to, v.to_s);
    if (a >= b || v.state == kMissing) {
      out.push_back(v);
      continue;
    }
    if (v.from_s < a) out.push_back({v.state, v.from_s, a, false});
    if (!out.empty() && out.back().state == kOff && out.back().to_s == a) {
      out.back().to_s = b;
    } else {
      out.push_back({kOff, a, b, false});
    }
    if (b < v.to_s) out.push_back({v.state, b, v.to_s, false});
  }
  visits = std::move(out);
}

/// What is left of a visit behind a stretch of Off, when too short for its state, belongs to the
/// visit that follows: the sample in which the power came on is low, and no state of its own.
void absorb_stubs(Visits& visits, const Recipe& recipe) {
  const auto shortest = [&](const std::string& name) {
    for (const StateRule& rule : recipe.states) {
      if (rule.name == name) return rule.shortest_s;
    }
    return 0.0;
  };
  for (std::size_t i = 1; i + 1 < visits.size();) {
    const Visit& stub = visits[i];
    Visit& next = visits[i + 1];
    if (visits[i - 1].state == kOff && next.from_s == stub.to_s && next.state != kMissing &&
        next.state != kOff && stub.to_s - stub.from_s < shortest(stub.state)) {
      next.from_s = stub.from_s;
      visits.erase(visits.begin() + static_cast<std::ptrdiff_t>(i));
    } else {
      ++i;
    }
  }
}

/// The sample edge nearest below a moment, so that visit edges stay on samples.
double on_sample(const Trace& trace, double t) {
  for (const Block& block : trace.blocks()) {
    const long double tick = trace.time_base().ticks(t);
    if (tick < block.start) break;
    if (tick > block.end) continue;
    return trace.time_base().seconds(tick_of(trace, block, cell_at(trace, block, tick)));
  }
  return t;
}

}  // namespace

double first_rise(const Trace& trace, double earliest_s, double latest_s, double level) {
  for (const Block& block : trace.blocks()) {
    const long double from = trace.time_base().ticks(earliest_s);
    const long double to = trace.time_base().ticks(latest_s);
    if (from > block.end || to < block.start) continue;
    const std::int64_t last = cell_at(trace, block, to);
    double before = -1e300;
    for (std::int64_t at = cell_at(trace, block, std::max<long double>(from, block.start));
         at <= last; ++at) {
      double x = 0;
      trace.read(block, at, {&x, 1});
      if (x > level && before > level) {
        return trace.time_base().seconds(tick_of(trace, block, at - 1));
      }
      before = x;
    }
  }
  return latest_s;
}

Visits split(const Trace& trace, const Recipe& recipe, const std::vector<OutputSwitch>& switches) {
  Visits out;
  double end = trace.from_s();
  const auto blocks = trace.blocks();
  for (std::size_t b = 0; b < blocks.size(); ++b) {
    const Block& block = blocks[b];
    const double start = trace.time_base().seconds(block.start);
    if (start > end) out.push_back({kMissing, end, start, false});
    const auto stays = Tidier(trace, recipe, block, Walker(trace, recipe, block).stays()).run();
    for (std::size_t i = 0; i < stays.size(); ++i) {
      const Stay& stay = stays[i];
      const double from = trace.time_base().seconds(tick_of(trace, block, stay.from));
      const double to = trace.time_base().seconds(tick_of(trace, block, stay.to));
      if (to <= from) continue;  // the last instant of a block has no length
      const bool whole = i > 0 && i + 1 < stays.size();
      out.push_back({stay.state == kNone ? kUnassigned
                                         : recipe.states[static_cast<std::size_t>(stay.state)].name,
                     from, to, whole});
    }
    end = trace.time_base().seconds(block.end);
  }
  for (const auto& [from, to] : off_stretches(trace, switches)) {
    lay_off(out, on_sample(trace, from), on_sample(trace, to));
  }
  absorb_stubs(out, recipe);
  return out;
}

}  // namespace kuvio
