// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/finding.h"

#include "book/analysis.h"
#include "book/anchors.h"
#include "book/channel_trace.h"
#include "core/error.h"
#include "core/log_names.h"
#include "formats/project_text.h"
#include "formats/toml_edit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <stdexcept>
#include <string_view>

namespace kuvio::study {
namespace {

/// From when to when the output was off (s).
std::vector<std::pair<double, double>> off_spans(const book::Book& book,
                                                 const book::CaptureInfo& capture,
                                                 const book::ChannelInfo& channel,
                                                 const Trace& trace) {
  std::vector<std::pair<double, double>> out;
  bool on = true;
  double since = trace.from_s();
  for (const OutputSwitch& s : book::placed_switches(book, capture, channel, trace)) {
    if (s.on) {
      if (!on || out.empty()) out.emplace_back(since, s.latest_s);
    } else {
      since = s.earliest_s;
    }
    on = s.on;
  }
  if (!on) out.emplace_back(since, trace.to_s());
  return out;
}

/// Lines come a little later than what they tell of.
constexpr double kLogWithin = 0.05;  // s

/// "uplink start" as a state's name: "Uplink".
std::string as_name(std::string words) {
  for (const char* end : {" start", " starts", " started", " begin", " begins", " begun"}) {
    if (words.ends_with(end)) words.resize(words.size() - std::string_view(end).size());
  }
  if (!words.empty())
    words[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(words[0])));
  return words;
}

/// Names the states by the log lines that keep falling on their beginnings: what was found, in
/// order of the recipe's states.
std::vector<LogName> name_by_log(const book::Book& book, const book::CaptureInfo& capture,
                                 Recipe& recipe) {
  const std::vector<book::LogLine> log = book.log(capture.id);
  std::vector<TimedLine> lines;
  for (const book::LogLine& line : log) {
    if (!line.sent) lines.push_back({line.time_s, line.text});
  }
  if (lines.empty()) return {};
  const auto found =
      names_by_log(book::split_capture(book, capture, recipe, "").visits, lines, kLogWithin);
  std::vector<LogName> out(recipe.states.size());
  for (const LogName& name : found) {
    const std::string wanted = as_name(name.words);
    const auto has = [&](const std::string& text) {
      return std::find_if(recipe.states.begin(), recipe.states.end(),
                          [&](const StateRule& r) { return r.name == text; });
    };
    const auto rule = has(name.state);
    if (rule == recipe.states.end() || has(wanted) != recipe.states.end() ||
        is_built_in_state(wanted))
      continue;
    rule->name = wanted;
    out[static_cast<std::size_t>(rule - recipe.states.begin())] = name;
  }
  return out;
}

/// The recipe's text; beside a state that was named by the log, the anchor that goes with it, to be
/// taken by whoever wants its edges there.
std::string text_with_anchors(const Recipe& recipe, const std::vector<LogName>& names) {
  std::string out = formats::recipe_text(recipe);
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (names[i].words.empty()) continue;
    const std::string head = "name = " + formats::toml_quote(recipe.states[i].name) + "\n";
    const auto at = out.find(head);
    if (at == std::string::npos) continue;
    const double late_ms = names[i].late_s * 1e3;
    const std::string when = std::fabs(late_ms) < 0.5 ? std::string()
                             : late_ms > 0            ? fmt::format(", {:.0f} ms later", late_ms)
                                           : fmt::format(", {:.0f} ms earlier", -late_ms);
    out.insert(at + head.size(),
               fmt::format("# {} of its {} visits begin where the log says so{}; for edges there:\n"
                           "# begins = {{ log = {} }}\n",
                           names[i].met, names[i].visits, when,
                           formats::toml_quote(book::begins_with(names[i].words))));
  }
  return out;
}

}  // namespace

formats::RecipeFile find_recipe(const book::Book& book, const book::CaptureInfo& capture,
                                const std::string& name, FindSettings settings) {
  book::require_recorded(capture);
  const book::ChannelInfo& channel = name.empty()
                                         ? book::main_current(capture, book.path())
                                         : book::choose_channel(capture, name, book.path());
  if (channel.quantity != Quantity::current)
    throw Error(Failure::bad_data, "nothing to find", "capture " + capture.name,
                "states are found on a current, and " + channel.name + " is in " + channel.unit);
  const book::ChannelTrace trace(book, channel);
  settings.unit = channel.unit;
  settings.leave_out = off_spans(book, capture, channel, trace);
  FoundStates found;
  try {
    found = find_states(trace, settings);
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::bad_data, "nothing to find", "capture " + capture.name, e.what());
  }
  if (found.given_up)
    throw Error(Failure::io, "cancelled", "capture " + capture.name, "it stays as it was");
  found.recipe.channel = channel.name;
  found.recipe.name = "States of " + capture.name;
  const std::vector<LogName> names = name_by_log(book, capture, found.recipe);
  // What is kept is the text; what it says is what splits.
  return formats::parse_recipe(text_with_anchors(found.recipe, names), "found states");
}

}  // namespace kuvio::study
