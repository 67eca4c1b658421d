// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/other_channels.h"

#include "book/anchors.h"
#include "book/channel_trace.h"
#include "book/logic_line.h"
#include "core/error.h"
#include "core/state_split.h"

#include <algorithm>
#include <map>

namespace kuvio::book {
namespace {

[[noreturn]] void does_not_fit(const CaptureInfo& capture, const std::string& why) {
  throw Error(Failure::bad_data, "recipe does not fit", "capture " + capture.name, why);
}

const ChannelInfo& channel_of(const CaptureInfo& capture, const StateRule& rule) {
  const ChannelInfo* channel = capture.channel(rule.channel);
  if (!channel)
    does_not_fit(capture, "it has no channel \"" + rule.channel + "\" that the rule of " +
                              rule.name + " reads");
  const bool line = channel->quantity == Quantity::logic;
  if (line != rule.line_high.has_value())
    does_not_fit(capture,
                 "the level of " + rule.name +
                     (line ? " is a band, and " : " is a logic line's, and ") + rule.channel +
                     (line ? " is a logic line: \"high\" or \"low\"" : " is none: give it a band"));
  if (!line && info(channel->quantity).dimension != rule.dimension)
    does_not_fit(capture, "the level of " + rule.name + " is of another quantity than " +
                              rule.channel + ", which is in " + channel->unit);
  return *channel;
}

/// Joined over short gaps, without those that are too short or not as long as they must be.
void fit_line(std::vector<FoundStay>& stays, const StateRule& rule, int index, Tally& tally) {
  std::vector<FoundStay> joined;
  for (const FoundStay& s : stays) {
    if (!joined.empty() && s.from_s - joined.back().to_s <= rule.join_gaps_s) {
      joined.back().to_s = s.to_s;
      joined.back().ends_seen = s.ends_seen;
    } else {
      joined.push_back(s);
    }
  }
  stays.clear();
  for (const FoundStay& s : joined) {
    const bool cut = !s.begins_seen || !s.ends_seen;
    const double length = s.to_s - s.from_s;
    if (length < rule.shortest_s && !cut) continue;
    if (const auto why = lacks(rule.must, length, 0, 0, cut)) {
      tally.add(index, *why);
    } else {
      stays.push_back(s);
    }
  }
}

/// The stays that a split by some of the rules made: what it leaves open is none.
void add_stays(const Visits& visits, const Recipe& some, const std::vector<int>& rules,
               std::vector<FoundStay>& out) {
  for (std::size_t i = 0; i < visits.size(); ++i) {
    const Visit& v = visits[i];
    const auto rule = std::find_if(some.states.begin(), some.states.end(),
                                   [&](const StateRule& r) { return r.name == v.state; });
    if (rule == some.states.end()) continue;
    const auto seen = [&](std::size_t beside) {
      return beside < visits.size() && visits[beside].state != kMissing;
    };
    out.push_back({rules[static_cast<std::size_t>(rule - some.states.begin())], v.from_s, v.to_s,
                   i > 0 && seen(i - 1), seen(i + 1)});
  }
}

}  // namespace

OtherStays stays_of_others(const Book& book, const CaptureInfo& capture, const Recipe& recipe) {
  OtherStays out;
  std::map<std::string, std::vector<int>> by_channel;
  for (std::size_t i = 0; i < recipe.states.size(); ++i) {
    if (recipe.states[i].elsewhere())
      by_channel[recipe.states[i].channel].push_back(static_cast<int>(i));
  }
  for (const auto& [name, rules] : by_channel) {
    Recipe some;
    some.name = recipe.name;
    some.channel = name;
    const ChannelInfo* channel = nullptr;
    for (const int i : rules) {
      some.states.push_back(recipe.states[static_cast<std::size_t>(i)]);
      channel = &channel_of(capture, some.states.back());
      some.states.back().channel.clear();
    }
    const ChannelTrace trace(book, *channel);
    if (channel->quantity == Quantity::logic) {
      const std::vector<LineLevel> levels = levels_of_line(trace);
      Tally tally;
      for (std::size_t k = 0; k < rules.size(); ++k) {
        std::vector<FoundStay> stays;
        for (const LineLevel& l : levels) {
          if (l.high == *some.states[k].line_high)
            stays.push_back({rules[k], l.from_s, l.to_s, l.begins_seen, l.ends_seen});
        }
        fit_line(stays, some.states[k], rules[k], tally);
        out.stays.insert(out.stays.end(), stays.begin(), stays.end());
      }
      for (const Rejected& r : tally.all()) out.rejected.push_back(r);
      continue;
    }
    const SplitResult made = split_beside(trace, some, {{}, moments_of(book, capture, some)});
    add_stays(made.visits, some, rules, out.stays);
    for (Rejected r : made.rejected) {
      r.rule = static_cast<std::size_t>(rules[r.rule]);
      out.rejected.push_back(r);
    }
  }
  return out;
}

Recipe for_own_channel(Recipe recipe) {
  for (StateRule& rule : recipe.states) {
    if (!rule.elsewhere()) continue;
    rule.by_level = false;
    rule.begins.reset();
    rule.ends.reset();
  }
  return recipe;
}

}  // namespace kuvio::book
