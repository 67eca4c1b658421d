// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/charge_flow.h"

#include "core/compensated_sum.h"
#include "core/measure.h"

#include <algorithm>
#include <array>

namespace kuvio {
namespace {

/// Pieces that a trace has sums and extremes of at hand, from large to small.
constexpr std::array<std::int64_t, 3> kPieces{65536, 4096, 256};

class Parter {
public:
  explicit Parter(const Trace& trace)
      : trace_(trace),
        line_(trace.kind() == SampleKind::instant),
        tick_s_(trace.time_base().tick_s()) {}

  void block(const Block& b, long double from, long double to) {
    const long double a = std::max<long double>(from, b.start);
    const long double z = std::min<long double>(to, b.end);
    if (a >= z) return;
    const std::int64_t first = cell_at(trace_, b, a), last = cell_at(trace_, b, z);
    if (first == last) return part_of_cell(b, first, a, z);
    part_of_cell(b, first, a, tick_of(trace_, b, first + 1));
    if (last > first + 1) cells(b, first + 1, last, 0);
    part_of_cell(b, last, tick_of(trace_, b, last), z);
  }
  ChargeFlow flow() const { return {out_.value(), in_.value()}; }

private:
  void add(double charge) { charge >= 0 ? out_ += charge : in_ += -charge; }
  /// From a to b in a straight line, over `seconds`.
  void add_line(double a, double b, double seconds) {
    if ((a >= 0) == (b >= 0)) return add((a + b) / 2 * seconds);
    const double before = a / (a - b) * seconds;  // until it crosses zero
    add(a / 2 * before);
    add(b / 2 * (seconds - before));
  }

  void part_of_cell(const Block& b, std::int64_t cell, long double from, long double to) {
    std::array<double, 2> v{};
    const bool has_next = cell + 1 < b.count;
    trace_.read(b, cell, std::span(v).first(has_next ? 2 : 1));
    const double seconds = static_cast<double>(to - from) * tick_s_;
    if (!line_) return add(v[0] * seconds);
    if (!has_next) return;  // the last instant of a block has no length
    const auto start = static_cast<long double>(tick_of(trace_, b, cell)),
               end = static_cast<long double>(tick_of(trace_, b, cell + 1));
    const double slope = (v[1] - v[0]) / static_cast<double>(end - start);
    add_line(v[0] + slope * static_cast<double>(from - start),
             v[0] + slope * static_cast<double>(to - start), seconds);
  }

  /// Cells [from, to): at once where they are of one sign, else in smaller pieces.
  void cells(const Block& b, std::int64_t from, std::int64_t to, std::size_t level) {
    const std::int64_t seen = line_ ? std::min(to + 1, b.count) : to;  // a line ends at the next
    const Extremes e = trace_.extremes(b, from, seen);
    if (e.lo >= 0 || e.hi <= 0) {
      const double unit = tick_s_ * static_cast<double>(b.period > 0 ? b.period : 1);
      return add(trace_.sum(b, from, to).q * unit);
    }
    if (level == kPieces.size()) return samples(b, from, to);
    const std::int64_t piece = kPieces[level];
    for (std::int64_t at = from; at < to;) {
      const std::int64_t end = std::min(to, (at / piece + 1) * piece);
      cells(b, at, end, level + 1);
      at = end;
    }
  }

  void samples(const Block& b, std::int64_t from, std::int64_t to) {
    const std::int64_t more = line_ && to < b.count ? 1 : 0;
    std::vector<double> v(static_cast<std::size_t>(to - from + more));
    trace_.read(b, from, v);
    for (std::int64_t i = from; i < to; ++i) {
      const double seconds =
          static_cast<double>(tick_of(trace_, b, i + 1) - tick_of(trace_, b, i)) * tick_s_;
      const auto at = static_cast<std::size_t>(i - from);
      if (!line_) add(v[at] * seconds);
      if (line_ && at + 1 < v.size()) add_line(v[at], v[at + 1], seconds);
    }
  }

  const Trace& trace_;
  const bool line_;
  const double tick_s_;
  Sum out_, in_;
};

}  // namespace

ChargeFlow charge_flow(const Trace& trace, double from_s, double to_s) {
  const TimeBase base = trace.time_base();
  const long double from = base.ticks(from_s), to = base.ticks(to_s);
  Parter parter(trace);
  for (const Block& b : trace.blocks()) {
    if (static_cast<long double>(b.end) < from) continue;
    if (static_cast<long double>(b.start) > to) break;
    parter.block(b, from, to);
  }
  return parter.flow();
}

std::map<std::string, ChargeFlow> charge_flow_by_state(const Trace& trace,
                                                       const std::vector<VisitFigures>& visits) {
  std::map<std::string, ChargeFlow> out;
  for (const VisitFigures& v : visits) {
    ChargeFlow& state = out[v.visit.state];
    const double in = v.least.value_or(0) >= 0 && v.charge >= 0
                          ? 0
                          : charge_flow(trace, v.visit.from_s, v.visit.to_s).in;
    // What comes back cannot be less than a charge below zero.
    const double back = std::max(in, -v.charge);
    state.in += back;
    state.out += v.charge + back;
  }
  return out;
}

}  // namespace kuvio
