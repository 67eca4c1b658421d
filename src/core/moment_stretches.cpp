// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/moment_stretches.h"

#include "core/measure.h"
#include "core/stays.h"

#include <algorithm>
#include <iterator>
#include <limits>
#include <optional>
#include <utility>

namespace kuvio {
namespace {

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

}  // namespace

MomentStretches moment_stretches(const Trace& trace, const Recipe& recipe, const Beside& beside,
                                 const Visits& below, Tally& tally) {
  MomentFinder finder(trace, recipe, beside, below, tally);
  MomentStretches out;
  out.stretches = finder.stretches();
  out.overlaps = finder.overlaps();
  return out;
}

}  // namespace kuvio
