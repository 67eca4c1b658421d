// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/stay_finder.h"

#include "core/smoothed.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace kuvio {
namespace {

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

}  // namespace

std::vector<Stay> find_stays(const Trace& trace, const Recipe& recipe, const Beside& beside,
                             const Block& block, const std::function<double()>& noise,
                             Tally& tally) {
  return StayFinder(trace, recipe, beside, block, noise, tally).stays();
}

}  // namespace kuvio
