// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/log_names.h"

#include "core/cycles.h"
#include "core/quantiles.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <utility>

namespace kuvio {
namespace {

constexpr double kKeeps = 0.9;      // of the entries, and of the lines
constexpr double kAsNear = 0.005;   // s: no difference between two kinds
constexpr std::size_t kFewest = 2;  // entries

struct Entry {
  double at_s = 0;
  std::size_t visit = 0;
};

/// The entry nearest to a moment, of any state.
const Entry* nearest(const std::vector<Entry>& entries, double at_s, double within_s) {
  auto above = std::lower_bound(entries.begin(), entries.end(), at_s,
                                [](const Entry& e, double t) { return e.at_s < t; });
  const Entry* best = nullptr;
  if (above != entries.end() && above->at_s - at_s <= within_s) best = &*above;
  if (above != entries.begin()) {
    --above;
    const bool nearer = !best || at_s - above->at_s <= best->at_s - at_s;
    if (nearer && at_s - above->at_s <= within_s) best = &*above;
  }
  return best;
}

/// What the lines of one kind fall on.
struct Kind {
  std::size_t lines = 0, last = 0;                           // where the last one stands in the log
  std::map<std::string, std::map<std::size_t, double>> met;  // by state: visits, how late
};

}  // namespace

std::string words_of(std::string_view line) {
  std::string out;
  std::size_t at = 0;
  while (at < line.size()) {
    const std::size_t from = line.find_first_not_of(" \t", at);
    if (from == std::string_view::npos) break;
    std::size_t to = line.find_first_of(" \t", from);
    if (to == std::string_view::npos) to = line.size();
    std::string_view word = line.substr(from, to - from);
    const bool number = std::any_of(
        word.begin(), word.end(), [](unsigned char c) { return std::isdigit(c) != 0 || c == '='; });
    if (number) break;
    const bool ends = word.back() == ':' || word.back() == ',';
    if (ends) word.remove_suffix(1);
    if (!word.empty()) out += (out.empty() ? "" : " ") + std::string(word);
    if (ends) break;
    at = to;
  }
  return out;
}

std::vector<LogName> names_by_log(const Visits& visits, std::span<const TimedLine> lines,
                                  double within_s) {
  std::vector<Entry> entries;
  std::map<std::string, std::size_t> of_state;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    if (!is_entry(visits, i) || visits[i].continues || visits[i].state == kUnassigned) continue;
    entries.push_back({visits[i].from_s, i});
    ++of_state[visits[i].state];
  }
  std::map<std::string, Kind> kinds;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string words = words_of(lines[i].text);
    if (words.empty()) continue;
    Kind& kind = kinds[words];
    ++kind.lines;
    kind.last = i;
    if (const Entry* e = nearest(entries, lines[i].at_s, within_s))
      kind.met[visits[e->visit].state].try_emplace(e->visit, lines[i].at_s - e->at_s);
  }
  std::map<std::string, std::pair<LogName, std::size_t>> best;  // by state, with `last`
  for (const auto& [words, kind] : kinds) {
    for (const auto& [state, met] : kind.met) {
      const std::size_t all = of_state[state];
      const double hits = static_cast<double>(met.size());
      if (all < kFewest || hits < kKeeps * static_cast<double>(all) ||
          hits < kKeeps * static_cast<double>(kind.lines))
        continue;
      std::vector<double> late;
      for (const auto& [visit, by] : met) late.push_back(by);
      const LogName name{state, words, kind.lines, all, met.size(), median(late)};
      const auto it = best.find(state);
      const double off = std::fabs(name.late_s),
                   other = it == best.end() ? 0 : std::fabs(it->second.first.late_s);
      const bool as_near = std::fabs(off - other) < kAsNear;
      if (it == best.end() || (as_near ? kind.last > it->second.second : off < other))
        best[state] = {name, kind.last};
    }
  }
  std::vector<LogName> out;
  for (auto& [state, name] : best) out.push_back(std::move(name.first));
  return out;
}

}  // namespace kuvio
