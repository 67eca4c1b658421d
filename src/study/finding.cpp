// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/finding.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/error.h"
#include "formats/project_text.h"

#include <stdexcept>

namespace kuvio::study {
namespace {

/// From when to when the output was off (s).
std::vector<std::pair<double, double>> off_spans(const book::Book& book, std::int64_t capture,
                                                 const Trace& trace) {
  std::vector<std::pair<double, double>> out;
  bool on = true;
  double since = trace.from_s();
  for (const OutputSwitch& s : book.output_switches(capture)) {
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

}  // namespace

formats::RecipeFile find_recipe(const book::Book& book, const book::CaptureInfo& capture,
                                const std::string& name, FindSettings settings) {
  book::require_recorded(capture);
  const book::ChannelInfo& channel = name.empty()
                                         ? book::main_current(capture, book.path())
                                         : book::choose_channel(capture, name, book.path());
  const book::ChannelTrace trace(book, channel);
  settings.unit = channel.unit;
  settings.leave_out = off_spans(book, capture.id, trace);
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
  // What is kept is the text; what it says is what splits.
  return formats::parse_recipe(formats::recipe_text(found.recipe), "found states");
}

}  // namespace kuvio::study
