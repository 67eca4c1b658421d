// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/anchors.h"

#include "book/channel_trace.h"
#include "book/logic_line.h"
#include "core/error.h"

#include <re2/re2.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <optional>
#include <stdexcept>

namespace kuvio::book {
namespace {

RE2::Options quiet() {
  RE2::Options out;
  out.set_log_errors(false);
  return out;
}

/// An expression, and how a rule's name is completed by what it meets.
class Expression {
public:
  Expression(const std::string& text, const std::string& rule_name)
      : pattern_(text, quiet()), rule_name_(rule_name) {
    for (const std::string& group : groups_in(rule_name)) {
      const auto& known = pattern_.NamedCapturingGroups();
      if (const auto it = known.find(group); it != known.end()) groups_.emplace(group, it->second);
    }
  }

  /// What a text makes of the name, "" where it needs nothing of it; nothing where it does not
  /// match.
  std::optional<std::string> name_of(const std::string& text) const {
    std::vector<re2::StringPiece> met(static_cast<std::size_t>(pattern_.NumberOfCapturingGroups()) +
                                      1);
    if (!pattern_.ok() || !pattern_.Match(text, 0, text.size(), RE2::UNANCHORED, met.data(),
                                          static_cast<int>(met.size())))
      return std::nullopt;
    if (groups_.empty()) return std::string();
    std::string out = rule_name_;
    for (const auto& [group, number] : groups_) {
      const std::string place = "{" + group + "}";
      const auto piece = met[static_cast<std::size_t>(number)];
      const std::string word(piece.data() ? piece.data() : "", piece.size());
      for (auto at = out.find(place); at != std::string::npos;
           at = out.find(place, at + word.size()))
        out.replace(at, place.size(), word);
    }
    if (out.empty()) return std::nullopt;
    return is_built_in_state(out) ? out + " (named)" : out;
  }

private:
  RE2 pattern_;
  std::string rule_name_;
  std::map<std::string, int> groups_;
};

/// The moments at which a logic line goes to the level wanted.
std::vector<Moment> edges_of(const Book& book, const CaptureInfo& capture, const Anchor& anchor) {
  const ChannelInfo* line = capture.channel(anchor.of);
  if (!line || line->quantity != Quantity::logic) {
    throw Error(Failure::bad_data, "recipe does not fit", "capture " + capture.name,
                "it has no logic line \"" + anchor.of + "\"");
  }
  std::vector<Moment> out;
  for (const LineLevel& level : levels_of_line(ChannelTrace(book, *line))) {
    if (level.begins_seen && level.high == anchor.rises) out.push_back({level.from_s});
  }
  return out;
}

}  // namespace

std::set<std::string> groups_of(const std::string& expression) {
  const RE2 pattern(expression, quiet());
  if (!pattern.ok()) throw std::invalid_argument(pattern.error());
  std::set<std::string> out;
  for (const auto& [name, number] : pattern.NamedCapturingGroups()) out.insert(name);
  return out;
}

std::string begins_with(const std::string& words) {
  std::string out = "^" + RE2::QuoteMeta(words);
  // A space needs no quoting, and is read better without.
  for (auto at = out.find("\\ "); at != std::string::npos; at = out.find("\\ ", at))
    out.erase(at, 1);
  return out;
}

std::set<std::string> groups_in(const std::string& rule_name) {
  static const RE2 place(R"(\{([A-Za-z_]\w*)\})");
  std::set<std::string> out;
  re2::StringPiece rest(rule_name);
  std::string group;
  while (RE2::FindAndConsume(&rest, place, &group)) out.insert(group);
  return out;
}

namespace {

/// Moments of anchors; log and marks are read when the first of them asks.
class Finder {
public:
  Finder(const Book& book, const CaptureInfo& capture) : book_(book), capture_(capture) {}

  std::vector<Moment> moments(const Anchor& anchor, const std::string& rule_name) {
    std::vector<Moment> out;
    if (anchor.by == Anchor::By::logic) {
      out = edges_of(book_, capture_, anchor);
    } else if (anchor.by == Anchor::By::log) {
      const Expression expression(anchor.of, rule_name);
      if (!log_) log_ = book_.log(capture_.id);
      for (const LogLine& line : *log_) {
        if (auto name = expression.name_of(line.text)) out.push_back({line.time_s, *name});
      }
    } else {
      const Expression expression(anchor.of, rule_name);
      if (!events_) events_ = book_.events(capture_.id);
      for (const Event& e : *events_) {
        if (e.kind != EventKind::mark) continue;
        if (auto name = expression.name_of(e.text)) out.push_back({e.earliest_s, *name});
      }
    }
    for (Moment& m : out) m.at_s += anchor.offset_s;
    std::stable_sort(out.begin(), out.end(),
                     [](const Moment& a, const Moment& b) { return a.at_s < b.at_s; });
    return out;
  }

private:
  const Book& book_;
  const CaptureInfo& capture_;
  std::optional<std::vector<LogLine>> log_;
  std::optional<std::vector<Event>> events_;
};

/// The number of the group that counts; 0 where there is none.
int counting_group(const RE2& pattern) {
  if (!pattern.ok()) throw std::invalid_argument(pattern.error());
  const auto& named = pattern.NamedCapturingGroups();
  if (const auto it = named.find("n"); it != named.end()) return it->second;
  if (pattern.NumberOfCapturingGroups() > 1)
    throw std::invalid_argument("it has several groups: call the one that counts n, (?P<n>...)");
  return pattern.NumberOfCapturingGroups();
}

}  // namespace

std::vector<Beside::Rule> moments_of(const Book& book, const CaptureInfo& capture,
                                     const Recipe& recipe) {
  Finder finder(book, capture);
  std::vector<Beside::Rule> out(recipe.states.size());
  for (std::size_t i = 0; i < recipe.states.size(); ++i) {
    const StateRule& rule = recipe.states[i];
    if (rule.begins) out[i].begins = finder.moments(*rule.begins, rule.name);
    if (rule.ends) out[i].ends = finder.moments(*rule.ends, rule.name);
  }
  return out;
}

std::vector<Moment> moments_of(const Book& book, const CaptureInfo& capture, const Anchor& anchor) {
  if (anchor.by != Anchor::By::logic) groups_of(anchor.of);  // refuses what is no expression
  return Finder(book, capture).moments(anchor, "");
}

LogCounts log_counts(const std::vector<LogLine>& log, const std::string& expression) {
  const RE2 pattern(expression, quiet());
  const int group = counting_group(pattern);
  LogCounts out;
  out.numbers = group > 0;
  std::vector<re2::StringPiece> met(static_cast<std::size_t>(group) + 1);
  for (const LogLine& line : log) {
    if (line.sent || !pattern.Match(line.text, 0, line.text.size(), RE2::UNANCHORED, met.data(),
                                    static_cast<int>(met.size())))
      continue;
    LogCount count{line.time_s, 1};
    if (group > 0) {
      const auto piece = met.back();
      const char* end = piece.data() + piece.size();
      const auto [stop, failed] = std::from_chars(piece.data(), end, count.n);
      if (failed != std::errc{} || stop != end || !std::isfinite(count.n)) {
        ++out.strange;
        continue;
      }
    }
    out.counts.push_back(count);
  }
  return out;
}

}  // namespace kuvio::book
