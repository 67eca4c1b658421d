// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/state_split.h"

#include "core/edge.h"
#include "core/measure.h"
#include "core/noise.h"
#include "core/number_text.h"
#include "core/smoothed.h"
#include "core/stays.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <limits>
#include <map>
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
    // The last instant of a block has no length by itself.
    std::erase_if(out, [](const Visit& v) { return !(v.to_s > v.from_s); });
    return out;
  }

private:
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

const std::vector<Moment>& moments_of(const Beside& beside, int rule, bool ends) {
  static const std::vector<Moment> none;
  const auto at = static_cast<std::size_t>(rule);
  if (rule == kNoRule || at >= beside.rules.size()) return none;
  return ends ? beside.rules[at].ends : beside.rules[at].begins;
}

/// Counts what was turned away.
class Tally {
public:
  void add(int rule, Rejected::Why why) { ++counts_[{static_cast<std::size_t>(rule), why}]; }
  std::vector<Rejected> all() const {
    std::vector<Rejected> out;
    for (const auto& [what, n] : counts_) out.push_back({what.first, what.second, n});
    return out;
  }

private:
  std::map<std::pair<std::size_t, Rejected::Why>, std::size_t> counts_;
};

/// What of `must` a stretch lacks. One that is cut may have had it beyond.
std::optional<Rejected::Why> lacks(const Must& must, double length_s, double peak, double mean,
                                   bool cut) {
  using Why = Rejected::Why;
  if (must.peak_above && !(peak > *must.peak_above) && !cut) return Why::no_peak;
  if (must.mean_above && !(mean > *must.mean_above)) return Why::mean_low;
  if (must.mean_below && !(mean < *must.mean_below)) return Why::mean_high;
  if (must.longer_s && length_s < *must.longer_s * (1 - 1e-9) && !cut) return Why::too_short;
  if (must.shorter_s && length_s > *must.shorter_s * (1 + 1e-9)) return Why::too_long;
  return std::nullopt;
}

/// The stays of a block that are what their rules ask for.
class StayFinder {
public:
  StayFinder(const Trace& trace, const Recipe& recipe, const Beside& beside, const Block& block,
             const std::function<double()>& noise, Tally& tally)
      : trace_(trace),
        recipe_(recipe),
        beside_(beside),
        block_(block),
        noise_(noise),
        tally_(tally),
        smoothed_(trace, block, recipe.smooth, noise),
        asks_(std::any_of(recipe.states.begin(), recipe.states.end(), [](const StateRule& r) {
          return r.by_level && (r.must.any() || r.begins || r.ends || !r.after.empty());
        })) {}

  std::vector<Stay> stays() {
    // Each round turns something away for good; it ends with the rules that are left.
    for (int round = 0; round < kMostRounds; ++round) {
      std::vector<Stay> stays = tidy();
      if (!asks_) return stays;
      if (turn_away(stays)) continue;
      put_on_moments(stays);
      return stays;
    }
    return tidy();
  }

private:
  static constexpr int kMostRounds = 200;

  std::vector<Stay> tidy() const {
    auto stays = stays_by_level(trace_, block_, recipe_, bans_, noise_);
    stays = join_stays(trace_, block_, recipe_, std::move(stays));
    stays = absorb_short_stays(trace_, block_, recipe_, std::move(stays), noise_);
    return drop_transitions(trace_, block_, recipe_, std::move(stays));
  }

  double time(std::int64_t at) const {
    return trace_.time_base().seconds(tick_of(trace_, block_, at));
  }
  const StateRule* rule_of(const Stay& s) const {
    return s.state == kNoRule ? nullptr : &recipe_.states[static_cast<std::size_t>(s.state)];
  }

  /// Bans what is no visit of its rule; whether there was any. What follows something that was
  /// turned away waits for the next round.
  bool turn_away(const std::vector<Stay>& stays) {
    const std::size_t before = bans_.size();
    bool settled = true;  // what stands before is what it will be
    for (std::size_t i = 0; i < stays.size(); ++i) {
      const StateRule* rule = rule_of(stays[i]);
      const auto why = rule && settled ? fault(stays, i, *rule) : std::nullopt;
      settled = !why;
      if (!why) continue;
      // A window sees it from further away. What is banned already stays so: it was told.
      const Ban ban{stays[i].state, smoothed_.first_of(stays[i].from),
                    smoothed_.end_of(stays[i].to)};
      const bool known = std::any_of(bans_.begin(), bans_.end(), [&](const Ban& b) {
        return b.state == ban.state && b.from <= ban.from && b.to >= ban.to;
      });
      if (known) continue;
      tally_.add(stays[i].state, *why);
      bans_.push_back(ban);
    }
    std::sort(bans_.begin(), bans_.end(),
              [](const Ban& a, const Ban& b) { return a.from < b.from; });
    return bans_.size() > before;
  }

  std::optional<Rejected::Why> fault(const std::vector<Stay>& stays, std::size_t i,
                                     const StateRule& rule) const {
    const Stay& stay = stays[i];
    const bool first = i == 0, last = i + 1 == stays.size();
    if (rule.begins && !first && !beginning(stays, i)) return Rejected::Why::no_begin;
    if (rule.ends && !last && !ending(stays, i)) return Rejected::Why::no_end;
    if (rule.must.any()) {
      const double from = time(stay.from), to = time(stay.to);
      const CellSum sum = trace_.sum(block_, stay.from, stay.to);
      const double ticks = static_cast<double>(tick_of(trace_, block_, stay.to) -
                                               tick_of(trace_, block_, stay.from)),
                   width = block_.period > 0 ? ticks / static_cast<double>(block_.period) : ticks;
      if (const auto why = lacks(rule.must, to - from, sum.hi, width > 0 ? sum.q / width : sum.lo,
                                 first || last))
        return why;
    }
    if (rule.after.empty() || first) return std::nullopt;
    const StateRule* before = rule_of(stays[i - 1]);
    const std::string name = before ? before->name : kUnassigned;
    const bool follows = std::find(rule.after.begin(), rule.after.end(), name) != rule.after.end();
    return follows ? std::nullopt : std::optional(Rejected::Why::not_after);
  }

  /// The moment in [from, to] that is nearest to a place; its number.
  static std::optional<std::size_t> nearest(const std::vector<Moment>& moments, double from,
                                            double to, double place) {
    std::optional<std::size_t> best;
    const auto begin = std::lower_bound(moments.begin(), moments.end(), from,
                                        [](const Moment& m, double t) { return m.at_s < t; });
    for (auto m = begin; m != moments.end() && m->at_s <= to; ++m) {
      if (best && std::fabs(m->at_s - place) >= std::fabs(moments[*best].at_s - place)) continue;
      best = static_cast<std::size_t>(m - moments.begin());
    }
    return best;
  }
  /// Between the visit of its state before it, and its own end.
  std::optional<std::size_t> beginning(const std::vector<Stay>& stays, std::size_t i) const {
    std::int64_t since = 0;
    for (std::size_t k = i; k-- > 0;) {
      if (stays[k].state != stays[i].state) continue;
      since = stays[k].to;
      break;
    }
    return nearest(moments_of(beside_, stays[i].state, false), time(since), time(stays[i].to),
                   time(stays[i].from));
  }
  /// Between its own beginning and the next visit of its state.
  std::optional<std::size_t> ending(const std::vector<Stay>& stays, std::size_t i) const {
    std::int64_t until = block_.count;
    for (std::size_t k = i + 1; k < stays.size(); ++k) {
      if (stays[k].state != stays[i].state) continue;
      until = stays[k].from;
      break;
    }
    return nearest(moments_of(beside_, stays[i].state, true), time(stays[i].from), time(until),
                   time(stays[i].to));
  }

  /// The first sample behind a moment: of averaged ones the first that lies there for its most.
  std::int64_t sample_behind(double at_s) const {
    const std::int64_t at = sample_at(trace_, block_, at_s);
    const bool instants = trace_.kind() == SampleKind::instant;
    const double from = time(at), place = instants ? from : (from + time(at + 1)) / 2;
    return at + (at < block_.count && place < at_s ? 1 : 0);
  }

  void put_on_moments(std::vector<Stay>& stays) const {
    std::vector<Stay> own, others;  // with moments, as they will be
    for (std::size_t i = 0; i < stays.size(); ++i) {
      const StateRule* rule = rule_of(stays[i]);
      if (!rule || (!rule->begins && !rule->ends)) {
        others.push_back(stays[i]);
        continue;
      }
      Stay s = stays[i];
      if (const auto m = rule->begins ? beginning(stays, i) : std::nullopt) {
        s.begins_s = moments_of(beside_, s.state, false)[*m].at_s;
        s.begun_by = static_cast<int>(*m);
        s.from = sample_behind(*s.begins_s);
      }
      if (const auto m = rule->ends ? ending(stays, i) : std::nullopt) {
        s.ends_s = moments_of(beside_, s.state, true)[*m].at_s;
        s.to = sample_behind(*s.ends_s);
      }
      if (s.to > s.from) {
        own.push_back(s);
      } else {  // nothing is left of it
        others.push_back({kNoRule, stays[i].from, stays[i].to});
      }
    }
    if (own.empty()) {
      stays = std::move(others);
      return;
    }
    // Each takes what it covers from the others; what it gives up goes to its neighbour.
    std::vector<Stay> out;
    const auto lay = [&](Stay s) {
      if (!out.empty() && s.from < out.back().to) {
        s.from = out.back().to;
        s.begins_s.reset();
      }
      if (s.to > s.from) out.push_back(s);
    };
    std::size_t next = 0;
    for (const Stay& stay : others) {
      for (; next < own.size() && own[next].from <= stay.from; ++next) lay(own[next]);
      Stay rest = stay;
      if (next < own.size() && own[next].from < rest.to) {
        rest.to = own[next].from;
        lay(rest);
        lay(own[next++]);
        rest = stay;  // it may go on behind
      }
      lay(rest);
    }
    for (; next < own.size(); ++next) lay(own[next]);
    // No sample is left between a moment and its neighbour, none before the first or behind the
    // last.
    for (std::size_t i = 1; i < out.size(); ++i) {
      Stay &left = out[i - 1], &right = out[i];
      if (left.to >= right.from || !(left.ends_s || right.begins_s)) continue;
      if (left.ends_s && right.begins_s) {
        out.insert(out.begin() + static_cast<std::ptrdiff_t>(i),
                   Stay{kNoRule, left.to, right.from});
        ++i;
      } else if (right.begins_s) {
        left.to = right.from;
      } else {
        right.from = left.to;
      }
    }
    if (out.front().from > 0) {
      if (out.front().begins_s) {
        out.insert(out.begin(), Stay{kNoRule, 0, out.front().from});
      } else {
        out.front().from = 0;
      }
    }
    if (out.back().to < block_.count) {
      if (out.back().ends_s) {
        out.push_back(Stay{kNoRule, out.back().to, block_.count});
      } else {
        out.back().to = block_.count;
      }
    }
    stays = std::move(out);
  }

  const Trace& trace_;
  const Recipe& recipe_;
  const Beside& beside_;
  const Block& block_;
  const std::function<double()>& noise_;
  Tally& tally_;
  Smoothed smoothed_;
  bool asks_;
  std::vector<Ban> bans_;
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

/// A state that lies over what is below, from one moment to another (s).
struct Over {
  std::string state;
  double from_s = 0, to_s = 0;
};

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

/// Stretches from moment to moment of the rules without a level.
class MomentFinder {
public:
  MomentFinder(const Trace& trace, const Recipe& recipe, const Beside& beside, const Visits& below,
               Tally& tally)
      : trace_(trace), recipe_(recipe), beside_(beside), below_(below), tally_(tally) {}

  /// In order and apart.
  std::vector<Over> stretches() {
    for (std::size_t i = 0; i < recipe_.states.size(); ++i) {
      if (!recipe_.states[i].by_level) collect(static_cast<int>(i));
    }
    std::stable_sort(all_.begin(), all_.end(),
                     [](const Open& a, const Open& b) { return a.from_s < b.from_s; });
    std::vector<Open> good;
    for (const Open& one : all_) {
      const auto why = fault(one, good);
      if (why) {
        tally_.add(one.rule, *why);
      } else {
        good.push_back(one);
      }
    }
    return flat(good);
  }
  std::size_t overlaps() const { return overlaps_; }

private:
  struct Open {
    int rule = kNoRule;
    std::string name;
    double from_s = 0, to_s = 0;
    bool cut = false;
  };

  void collect(int index) {
    const StateRule& rule = recipe_.states[static_cast<std::size_t>(index)];
    const double first = trace_.from_s(), last = trace_.to_s();
    std::vector<Open> open;
    const auto close = [&](double at, bool cut) {
      Open one = std::move(open.back());
      open.pop_back();
      one.to_s = std::min(at, last);
      one.cut |= cut;
      one.from_s = std::max(one.from_s, first);
      if (one.to_s > one.from_s) all_.push_back(std::move(one));
    };
    const std::vector<Moment> none;
    const auto& ends = rule.ends ? moments_of(beside_, index, true) : none;
    auto end = ends.begin();
    for (const Moment& m : moments_of(beside_, index, false)) {
      for (; end != ends.end() && end->at_s <= m.at_s; ++end) {
        if (!open.empty()) close(end->at_s, false);
      }
      if (!rule.ends && !open.empty()) close(m.at_s, false);
      open.push_back({index, m.name.empty() ? rule.name : m.name, m.at_s, 0, m.at_s < first});
    }
    for (; end != ends.end() && !open.empty(); ++end) close(end->at_s, end->at_s > last);
    while (!open.empty()) close(last, true);
  }

  std::optional<Rejected::Why> fault(const Open& one, const std::vector<Open>& before) const {
    const StateRule& rule = recipe_.states[static_cast<std::size_t>(one.rule)];
    const double length = one.to_s - one.from_s;
    if (length < rule.shortest_s * (1 - 1e-9) && !one.cut) return Rejected::Why::too_short;
    if (rule.must.any()) {
      const SpanFigures figures = measure(trace_, one.from_s, one.to_s);
      if (const auto why = lacks(rule.must, length, figures.max.value_or(0),
                                 figures.mean().value_or(0), one.cut))
        return why;
    }
    if (rule.after.empty()) return std::nullopt;
    std::string state;
    for (const Open& other : before) {
      if (other.to_s >= one.from_s)
        state = recipe_.states[static_cast<std::size_t>(other.rule)].name;
    }
    if (state.empty()) {
      const auto next = std::lower_bound(below_.begin(), below_.end(), one.from_s,
                                         [](const Visit& v, double t) { return v.from_s < t; });
      if (next == below_.begin()) return std::nullopt;  // nobody knows what was before
      state = std::prev(next)->state;
    }
    const bool follows = std::find(rule.after.begin(), rule.after.end(), state) != rule.after.end();
    return follows ? std::nullopt : std::optional(Rejected::Why::not_after);
  }

  /// Where several are open the latest begun holds.
  std::vector<Over> flat(const std::vector<Open>& stretches) {
    std::vector<Over> out;
    std::vector<const Open*> open;  // the latest begun last
    double at = 0;
    const auto until = [&](double to) {
      if (!open.empty() && to > at) out.push_back({open.back()->name, at, to});
      at = std::max(at, to);
    };
    const auto close_before = [&](double moment) {
      while (!open.empty()) {
        // Those below that have ended meanwhile are gone with it.
        const double ends = open.back()->to_s;
        if (ends > moment) break;
        until(ends);
        open.pop_back();
        while (!open.empty() && open.back()->to_s <= at) open.pop_back();
      }
    };
    for (const Open& one : stretches) {
      close_before(one.from_s);
      std::erase_if(open, [&](const Open* o) { return o->to_s <= one.from_s; });
      if (open.empty()) {
        at = one.from_s;
      } else {
        ++overlaps_;
        until(one.from_s);
      }
      open.push_back(&one);
    }
    close_before(std::numeric_limits<double>::infinity());
    return out;
  }

  const Trace& trace_;
  const Recipe& recipe_;
  const Beside& beside_;
  const Visits& below_;
  Tally& tally_;
  std::vector<Open> all_;
  std::size_t overlaps_ = 0;
};

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
    const auto stays = StayFinder(trace, recipe, beside, block, noise, tally).stays();
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
  MomentFinder moments(trace, recipe, beside, out, tally);
  overlay(out, moments.stretches());
  result.overlaps = moments.overlaps();
  std::vector<Over> off;
  for (const auto& [from, to] : off_stretches(trace, beside.switches))
    off.push_back({kOff, on_sample(trace, from), on_sample(trace, to)});
  overlay(out, off);
  absorb_stubs(out, recipe);
  for (std::size_t i = 0; i < out.size(); ++i) {
    out[i].whole = out[i].state != kMissing && out[i].state != kOff && is_whole(out, i);
  }
  result.rejected = tally.all();
  return result;
}

Visits split(const Trace& trace, const Recipe& recipe, const std::vector<OutputSwitch>& switches) {
  return split_beside(trace, recipe, {switches, {}}).visits;
}

std::string in_words(const Rejected& r, const Recipe& recipe, std::string_view unit) {
  using Why = Rejected::Why;
  const StateRule& rule = recipe.states.at(r.rule);
  const auto value = [&](const std::optional<double>& v) {
    return with_prefix(v.value_or(0), unit, 3);
  };
  const std::string had = rule.by_level ? " had the level of " : " began as ";
  std::string why;
  switch (r.why) {
    case Why::no_peak:
      why = "no peak over " + value(rule.must.peak_above);
      break;
    case Why::mean_low:
      why = "a mean of " + value(rule.must.mean_above) + " at most";
      break;
    case Why::mean_high:
      why = "a mean of " + value(rule.must.mean_below) + " at least";
      break;
    case Why::too_short:
      why = "lasted less than " +
            duration(rule.must.longer_s.value_or(rule.by_level ? 0 : rule.shortest_s));
      break;
    case Why::too_long:
      why = "lasted longer than " + duration(rule.must.shorter_s.value_or(0));
      break;
    case Why::not_after:
      why = "came after none of its states";
      break;
    case Why::no_begin:
      why = "nothing that begins it";
      break;
    case Why::no_end:
      why = "nothing that ends it";
      break;
  }
  return std::to_string(r.stretches) + (r.stretches == 1 ? " stretch" : " stretches") + had +
         rule.name + " but " + why;
}

}  // namespace kuvio
