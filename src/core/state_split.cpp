// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/state_split.h"

#include "core/edge.h"
#include "core/measure.h"
#include "core/moment_stretches.h"
#include "core/noise.h"
#include "core/other_stays.h"
#include "core/stay_finder.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <optional>

namespace kuvio {

namespace {

/// Turns the stays of one block into visits with edges inside samples.
class EdgeFinder {
public:
  EdgeFinder(const Trace& trace, const Recipe& recipe, const Beside& beside, const Block& block,
             const std::vector<Stay>& stays)
      : trace_(trace),
        recipe_(recipe),
        beside_(beside),
        block_(block),
        stays_(stays),
        cells_(stays.size()) {}

  Visits visits() {
    for (std::size_t i = 1; i < stays_.size(); ++i) cells_[i] = cell_before(i);
    Visits out;
    for (std::size_t i = 0; i < stays_.size(); ++i) {
      Visit v{name(stays_[i]), time(stays_[i].from), time(stays_[i].to)};
      v.narrow = narrow(i);
      if (i > 0) {
        v.from_s = put_edge(i);
        v.begins = to_cell(cells_[i]);
        out.back().to_s = v.from_s;
        out.back().ends = v.begins;
      }
      out.push_back(std::move(v));
    }
    // What the noise hides is left on its sample, before any edge is placed by its neighbours.
    std::vector<double> places(out.size());
    for (std::size_t i = 1; i < out.size(); ++i) {
      if (out[i].begins.empty()) continue;
      const EdgeFigures edge = edge_figures(trace_, out[i - 1], out[i]);
      places[i] = edge.at_s;
      if (edge.clear && is_of_its_sides(i, edge)) continue;
      out[i].begins = out[i - 1].ends = {};
      out[i].from_s = out[i - 1].to_s = put_edge(i);
      // The edge before may take its level from more samples now.
      if (i > 1 && !out[i - 1].begins.empty())
        places[i - 1] = edge_figures(trace_, out[i - 2], out[i - 1]).at_s;
    }
    for (std::size_t i = 1; i < out.size(); ++i) {
      if (!out[i].begins.empty()) out[i].from_s = out[i - 1].to_s = places[i];
    }
    return with_length(out);
  }

private:
  /// Those that last: the last instant of a block has no length by itself, and one on its way from
  /// level to level may have none left between its edges.
  Visits with_length(Visits& all) const {
    Visits out;
    for (std::size_t i = 0; i < all.size(); ++i) {
      if (!(all[i].to_s > all[i].from_s)) continue;
      // What was parted by nothing but that is one.
      const bool gone = i > 0 && !out.empty() && !(all[i - 1].to_s > all[i - 1].from_s);
      if (gone && out.back().state == all[i].state && !anchored(i)) {
        out.back().to_s = all[i].to_s;
        out.back().ends = all[i].ends;
        out.back().narrow = out.back().narrow && all[i].narrow;
      } else {
        out.push_back(std::move(all[i]));
      }
    }
    agree_on_cells(out);
    return out;
  }
  double time(std::int64_t at) const {
    return trace_.time_base().seconds(tick_of(trace_, block_, at));
  }
  std::string name(const Stay& stay) const {
    if (stay.state == kNoRule) return kUnassigned;
    const auto rule = static_cast<std::size_t>(stay.state);
    if (stay.begun_by >= 0) {
      const Moment& m = beside_.rules[rule].begins[static_cast<std::size_t>(stay.begun_by)];
      if (!m.name.empty()) return m.name;
    }
    return recipe_.states[rule].name;
  }
  /// Where a moment puts the edge before a stay.
  std::optional<double> anchored(std::size_t i) const {
    return stays_[i].begins_s ? stays_[i].begins_s : stays_[i - 1].ends_s;
  }
  bool line() const { return trace_.kind() == SampleKind::instant; }
  double value(std::int64_t at) const {
    double x = 0;
    trace_.read(block_, at, {&x, 1});
    return x;
  }

  /// Whether the levels beside an edge are those that it parts. Beside a burst the level is that of
  /// a pause, maybe, which a window passes over: the edge then stays on its sample.
  bool is_of_its_sides(std::size_t i, const EdgeFigures& edge) const {
    if (!(recipe_.smooth.over_s > 0)) return true;
    const Stay &left = stays_[i - 1], &right = stays_[i];
    const double a = value(left.to - 1), b = value(right.from);
    const double level = crossed_threshold(recipe_, left.state, right.state, a, b);
    const auto& cell = *cells_[i];
    std::vector<double> samples(static_cast<std::size_t>(cell.count()));
    trace_.read(block_, cell.from, samples);
    for (std::size_t k = 0; k < samples.size(); ++k) {
      const bool before = cell.from + static_cast<std::int64_t>(k) < right.from;
      if ((samples[k] < level) != ((before ? a : b) < level)) return false;
    }
    return (edge.left < level) == (a < level) && (edge.right < level) == (b < level);
  }

  /// Each of its edges takes one sample at least.
  bool narrow(std::size_t i) const {
    const std::int64_t edges = (i > 0 ? 1 : 0) + (i + 1 < stays_.size() ? 1 : 0);
    return !line() && edges > 0 && stays_[i].samples() <= edges;
  }

  std::optional<SampleRange> cell_before(std::size_t i) const {
    if (anchored(i) || narrow(i - 1) || narrow(i)) return std::nullopt;
    SampleRange left{stays_[i - 1].from, stays_[i - 1].to}, right{stays_[i].from, stays_[i].to};
    if (cells_[i - 1]) left.from = line() ? cells_[i - 1]->to - 1 : cells_[i - 1]->to;
    // A moment may lie within the first sample, or the last.
    if (!line() && i > 1 && anchored(i - 1)) ++left.from;
    if (!line() && i + 1 < stays_.size() && anchored(i + 1)) --right.to;
    if (left.count() < 1 || right.count() < 1) return std::nullopt;
    // The next edge begins with the last sample of this stay.
    if (!line() && i + 1 < stays_.size() && !narrow(i + 1)) --right.to;
    return find_cell(trace_, block_, left, right);
  }
  Cell to_cell(const std::optional<SampleRange>& cell) const {
    if (!cell) return {};
    return {time(cell->from), time(line() ? cell->to - 1 : cell->to)};
  }

  /// Where an edge stands by the samples alone: on one, or where a straight line crosses.
  double put_edge(std::size_t i) const {
    if (const auto moment = anchored(i)) return *moment;
    const Stay &left = stays_[i - 1], &right = stays_[i];
    if (!line()) return time(right.from);
    const double a = value(left.to - 1), b = value(right.from);
    const double level = crossed_threshold(recipe_, left.state, right.state, a, b);
    const double share = a != b ? std::clamp((level - a) / (b - a), 0.0, 1.0) : 0.5;
    const double from = time(left.to - 1), to = time(right.from);
    return from + (to - from) * (std::isfinite(share) ? share : 0.5);
  }

  const Trace& trace_;
  const Recipe& recipe_;
  const Beside& beside_;
  const Block& block_;
  const std::vector<Stay>& stays_;
  std::vector<std::optional<SampleRange>> cells_;  // before each stay
};

/// Whether samples out of range lie in a gap.
bool out_of_range_within(const Trace& trace, double from_s, double to_s) {
  for (const FlagRun& run : trace.flags()) {
    const bool out = run.flag == Flag::over_range || run.flag == Flag::below_range;
    if (out && run.from_s <= to_s && run.to_s >= from_s) return true;
  }
  return false;
}

/// A visit on both sides of a stretch out of range is one.
void join_through_clipping(const Trace& trace, Visits& visits) {
  for (std::size_t i = 1; i + 1 < visits.size(); ++i) {
    if (visits[i].state != kMissing || visits[i - 1].state != visits[i + 1].state) continue;
    if (visits[i - 1].state == kOff) continue;
    visits[i + 1].continues = out_of_range_within(trace, visits[i].from_s, visits[i].to_s);
  }
}

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

/// Lays stretches over visits; they lie in order and apart. Missing stays.
void overlay(Visits& visits, const std::vector<Over>& stretches) {
  if (stretches.empty()) return;
  Visits out;
  std::size_t first = 0;
  std::size_t last = stretches.size();  // of which the last piece laid down is
  for (const Visit& v : visits) {
    while (first < stretches.size() && stretches[first].to_s <= v.from_s) ++first;
    if (v.state == kMissing) {
      out.push_back(v);
      last = stretches.size();
      continue;
    }
    double at = v.from_s;
    const auto rest = [&](double to) {  // what shows of the visit
      if (!(to > at)) return;
      Visit piece{v.state, at, to, false, v.narrow};
      if (at == v.from_s) piece.begins = v.begins;
      if (to == v.to_s) piece.ends = v.ends;
      if (at == v.from_s) piece.continues = v.continues;
      out.push_back(std::move(piece));
      last = stretches.size();
    };
    for (std::size_t i = first; i < stretches.size() && stretches[i].from_s < v.to_s; ++i) {
      const double from = std::max(stretches[i].from_s, v.from_s),
                   to = std::min(stretches[i].to_s, v.to_s);
      if (!(to > from)) continue;
      rest(from);
      if (last == i && !out.empty() && out.back().to_s == from) {
        out.back().to_s = to;
      } else {
        out.push_back({stretches[i].state, from, to, false});
      }
      last = i;
      at = to;
    }
    if (at == v.from_s) {
      out.push_back(v);
      last = stretches.size();
    } else {
      rest(v.to_s);
    }
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
      next.begins = stub.begins;
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
    bool above = false;  // the sample before was
    std::vector<double> piece(4096);
    std::int64_t at = cell_at(trace, block, std::max<long double>(from, block.start));
    while (at <= last) {
      const auto n = std::min<std::int64_t>(last + 1 - at, static_cast<std::int64_t>(piece.size()));
      trace.read(block, at, std::span(piece).first(static_cast<std::size_t>(n)));
      for (std::int64_t i = 0; i < n; ++i) {
        const bool now = piece[static_cast<std::size_t>(i)] > level;
        if (now && above) return trace.time_base().seconds(tick_of(trace, block, at + i - 1));
        above = now;
      }
      at += n;
    }
  }
  return latest_s;
}

SplitResult split_beside(const Trace& trace, const Recipe& recipe, const Beside& beside) {
  SplitResult result;
  Visits& out = result.visits;
  Tally tally;
  std::optional<double> known;
  const std::function<double()> noise = [&] {
    return known ? *known : *(known = quiet_noise(trace));
  };
  double end = trace.from_s();
  for (const Block& block : trace.blocks()) {
    const double start = trace.time_base().seconds(block.start);
    if (start > end) out.push_back({kMissing, end, start, false});
    const auto stays = find_stays(trace, recipe, beside, block, noise, tally);
    for (Visit& v : EdgeFinder(trace, recipe, beside, block, stays).visits()) {
      // Blocks may follow each other without a gap.
      if (!out.empty() && out.back().state == v.state && out.back().to_s == v.from_s) {
        out.back().to_s = v.to_s;
        out.back().ends = v.ends;
      } else {
        out.push_back(std::move(v));
      }
    }
    end = trace.time_base().seconds(block.end);
  }
  if (trace.to_s() > end) out.push_back({kMissing, end, trace.to_s(), false});
  join_through_clipping(trace, out);
  overlay(out, stretches_of_others(out, recipe, beside.stays));
  const MomentStretches moments = moment_stretches(trace, recipe, beside, out, tally);
  overlay(out, moments.stretches);
  result.overlaps = moments.overlaps;
  std::vector<Over> off;
  for (const auto& [from, to] : off_stretches(trace, beside.switches))
    off.push_back({kOff, on_sample(trace, from), on_sample(trace, to)});
  overlay(out, off);
  absorb_stubs(out, recipe);
  agree_on_cells(out);
  for (std::size_t i = 0; i < out.size(); ++i) {
    out[i].whole = out[i].state != kMissing && out[i].state != kOff && is_whole(out, i);
  }
  cut_unseen(out, recipe, beside.stays);
  result.rejected = tally.all();
  return result;
}

Visits split(const Trace& trace, const Recipe& recipe, const std::vector<OutputSwitch>& switches) {
  return split_beside(trace, recipe, {switches, {}}).visits;
}

}  // namespace kuvio
