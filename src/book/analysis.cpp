// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"

#include "book/anchors.h"
#include "book/channel_trace.h"
#include "book/notes.h"
#include "book/other_channels.h"
#include "book/schema.h"
#include "book/typed.h"
#include "core/compare.h"
#include "core/edge.h"
#include "core/error.h"
#include "core/quantity.h"
#include "core/state_split.h"

#include <algorithm>
#include <stdexcept>

namespace kuvio::book {

double nominal_voltage(const Conditions& conditions) {
  const auto it = conditions.find("voltage");
  if (it == conditions.end()) return 0;
  try {
    return parse_quantity(it->second, Dimension::voltage);
  } catch (const std::invalid_argument&) {
    return 0;  // a remark rather than a number: energy is then not known
  }
}

namespace {
/// Not stated where nothing is written, or where it is written of something in another unit (a
/// shunt's drop, in books of before).
Accuracy accuracy_of(const CaptureInfo& capture, const ChannelInfo& channel) {
  if (channel.accuracy.empty()) return {};
  try {
    return parse_accuracy(channel.accuracy, info(channel.quantity).dimension);
  } catch (const std::invalid_argument& e) {
    for (const Dimension other : {Dimension::current, Dimension::voltage}) {
      try {
        parse_accuracy(channel.accuracy, other);
        return {};
      } catch (const std::invalid_argument&) {  // nor of that
      }
    }
    throw Error(Failure::bad_data, "bad accuracy statement", "capture " + capture.name, e.what());
  }
}
}  // namespace

Basis basis_of(const CaptureInfo& capture, const ChannelInfo& channel) {
  Basis out;
  out.accuracy = accuracy_of(capture, channel);
  out.voltage = nominal_voltage(capture.conditions);
  out.sample_s = channel.period_s > 0 ? channel.period_s
                 : channel.samples > 1
                     ? (channel.to_s - channel.from_s) / static_cast<double>(channel.samples - 1)
                     : 0;
  return out;
}

void require_recorded(const CaptureInfo& capture) {
  if (!capture.typed) return;
  throw Error(Failure::bad_data, "no samples", "capture " + capture.name,
              "its readings were typed; ledger, compare, check and lifetime take them");
}

const ChannelInfo& choose_channel(const CaptureInfo& capture, const std::string& name,
                                  const std::string& book_path) {
  require_recorded(capture);
  std::string names;
  const ChannelInfo* found = nullptr;
  int currents = 0;
  // One that was derived does not make the recorded one less clear.
  const bool recorded = std::any_of(
      capture.channels.begin(), capture.channels.end(),
      [](const ChannelInfo& c) { return c.quantity == Quantity::current && c.derived.empty(); });
  for (const ChannelInfo& c : capture.channels) {
    names += (names.empty() ? "" : ", ") + c.name;
    const bool meant = c.quantity == Quantity::current && (!recorded || c.derived.empty());
    if (!name.empty() ? c.name == name : meant) {
      found = &c;
      ++currents;
    }
  }
  if (found && currents == 1) return *found;
  if (!name.empty()) {
    throw Error(Failure::usage, "no such channel", book_path,
                "capture " + capture.name + " has no channel \"" + name + "\"; it has " + names);
  }
  if (currents > 1) {
    throw Error(Failure::usage, "which channel", book_path,
                "capture " + capture.name + " has several currents; name one of " + names +
                    " with --channel");
  }
  throw Error(Failure::bad_data, "no current", book_path,
              "capture " + capture.name + " has no channel of current");
}

const ChannelInfo& main_current(const CaptureInfo& capture, const std::string& book_path) {
  for (const ChannelInfo& c : capture.channels) {
    if (c.quantity == Quantity::current) return c;
  }
  return choose_channel(capture, "", book_path);
}

const ChannelInfo& shown_channel(const CaptureInfo& capture, const std::string& book_path) {
  const ChannelInfo* first = nullptr;
  for (const ChannelInfo& c : capture.channels) {
    if (capture.split_channel != 0 && c.id == capture.split_channel) return c;
  }
  for (const Quantity wanted : {Quantity::current, Quantity::voltage}) {
    for (const ChannelInfo& c : capture.channels) {
      if (c.quantity == wanted) return c;
      if (!first && c.sampled()) first = &c;
    }
  }
  return first ? *first : main_current(capture, book_path);
}

Recipe of_main_current(Recipe recipe, const CaptureInfo& capture, const std::string& book_path) {
  if (recipe.channel.empty()) recipe.channel = main_current(capture, book_path).name;
  return recipe;
}

StoredSplit split_capture(const Book& book, const CaptureInfo& capture, const Recipe& recipe,
                          const std::string& recipe_text) {
  return told_split(book, capture, recipe, recipe_text).split;
}

std::vector<OutputSwitch> placed_switches(const Book& book, const CaptureInfo& capture,
                                          const ChannelInfo& channel, const Trace& trace) {
  const Accuracy accuracy = accuracy_of(capture, channel);
  const double quiet = accuracy.stated() ? std::max(5 * accuracy.offset, 1e-9) : 1e-6;
  std::vector<OutputSwitch> out = book.output_switches(capture.id);
  for (OutputSwitch& s : out) {
    if (s.on) s.latest_s = first_rise(trace, s.earliest_s, s.latest_s, quiet);
  }
  return out;
}

ToldSplit told_split(const Book& book, const CaptureInfo& capture, const Recipe& recipe,
                     const std::string& recipe_text) {
  if (!recipe.channel.empty() && !capture.channel(recipe.channel)) {
    throw Error(
        Failure::bad_data, "recipe does not fit", "capture " + capture.name,
        "it has no channel \"" + recipe.channel + "\" that recipe \"" + recipe.name + "\" reads");
  }
  const ChannelInfo& channel = choose_channel(capture, recipe.channel, book.path());
  if (channel.quantity != Quantity::current)
    throw Error(Failure::bad_data, "no current", "capture " + capture.name,
                "its states cannot rest on " + channel.name + ", in " + channel.unit +
                    ": what is accounted for is a current; a rule may have its level there");
  const ChannelTrace trace(book, channel);
  if (trace.blocks().empty()) {
    throw Error(Failure::bad_data, "nothing to split", "capture " + capture.name,
                "it holds no samples");
  }
  std::vector<OutputSwitch> switches = placed_switches(book, capture, channel, trace);
  const Recipe own = for_own_channel(recipe);
  OtherStays others = stays_of_others(book, capture, recipe);
  SplitResult made = split_beside(
      trace, own, {std::move(switches), moments_of(book, capture, own), std::move(others.stays)});
  made.rejected.insert(made.rejected.end(), others.rejected.begin(), others.rejected.end());
  ToldSplit out;
  out.split = {0, channel.id, recipe.name, recipe_text, std::move(made.visits), kSplitRules};
  for (const Rejected& r : made.rejected) {
    const StateRule& rule = recipe.states.at(r.rule);
    const ChannelInfo* of = rule.elsewhere() ? capture.channel(rule.channel) : &channel;
    out.remarks.push_back(in_words(r, recipe, of->unit));
  }
  if (made.overlaps > 0)
    out.remarks.push_back(std::to_string(made.overlaps) +
                          (made.overlaps == 1 ? " stretch began" : " stretches began") +
                          " within another, which goes on behind it");
  out.rejected = std::move(made.rejected);
  out.overlaps = made.overlaps;
  return out;
}

SplitCapture::SplitCapture() = default;
SplitCapture::SplitCapture(SplitCapture&&) noexcept = default;
SplitCapture& SplitCapture::operator=(SplitCapture&&) noexcept = default;
SplitCapture::~SplitCapture() = default;

SplitCapture load_split(const Book& book, const CaptureInfo& capture,
                        std::optional<StoredSplit> given) {
  SplitCapture out;
  out.info = capture;
  if (capture.typed) {
    out.typed = typed_readings(book, capture.id);
    return out;
  }
  if (!given) {
    if (auto edited = edited_split(book, capture)) {
      given = std::move(edited->split);
      out.conflicts = std::move(edited->conflicts);
      out.edits = edited->edits;
    }
  } else {
    const std::vector<Edit> list = edits(book, capture.id);
    EditResult edited =
        apply_edits(std::move(given->visits), list, edit_reach(capture, given->channel));
    given->visits = std::move(edited.visits);
    out.conflicts = std::move(edited.conflicts);
    out.edits = list.size();
  }
  if (!given) {
    throw Error(Failure::bad_data, "not split into states", "capture " + capture.name,
                "split it first: kuvio-cli states BOOK CAPTURE --recipe FILE");
  }
  const ChannelInfo* channel = nullptr;
  for (const ChannelInfo& c : capture.channels) {
    if (c.id == given->channel) channel = &c;
  }
  if (!channel)
    throw Error(Failure::bad_data, "damaged book", book.path(),
                "a split refers to a missing channel");
  out.channel = *channel;
  out.trace = std::make_unique<ChannelTrace>(book, *channel);
  out.recipe_name = given->recipe_name;
  out.recipe_text = given->recipe_text;
  out.edges_on_samples = given->rules < kSplitRules && !given->recipe_text.empty();
  out.visits = measure_visits(*out.trace, given->visits);
  return out;
}

std::vector<CaptureInfo> captures_of_build(const Book& book, const std::string& build) {
  std::vector<CaptureInfo> out;
  std::vector<CaptureInfo> all = book.captures();
  for (CaptureInfo& c : all) {
    if (c.build != build) continue;
    // Figures of a build without one of its captures would be another build's.
    if (!c.damage.empty())
      throw Error(Failure::bad_data, "damaged capture", book.path(),
                  "capture " + std::to_string(c.id) + " of build " + build + ": " + c.damage);
    if (!c.channels.empty() || c.typed) out.push_back(std::move(c));
  }
  if (out.empty()) {
    std::string builds;
    for (const std::string& b : book.builds()) builds += (builds.empty() ? "" : ", ") + b;
    throw Error(Failure::bad_data, "no such build", book.path(),
                "there is no capture of build \"" + build + "\"; there are " +
                    (builds.empty() ? "none" : builds));
  }
  return out;
}

Account SplitCapture::account() const {
  if (info.typed) {
    Basis own;
    own.voltage = nominal_voltage(info.conditions);
    return {nullptr, {}, own, typed};
  }
  return {trace.get(), visits, basis(), {}};
}

Ledger pooled_ledger(const std::vector<SplitCapture>& captures,
                     const std::vector<std::string>& states, double supply) {
  std::vector<Account> accounts;
  for (const bool typed : {false, true}) {
    for (const SplitCapture& c : captures) {
      if (c.info.typed != typed) continue;
      accounts.push_back(c.account());
      if (accounts.back().basis.voltage <= 0) accounts.back().basis.voltage = supply;
    }
  }
  return make_ledger(accounts, states);
}

double edge_difference(const SplitCapture& capture, double from_s, double to_s) {
  double out = 0;
  for (std::size_t i = 1; i < capture.visits.size(); ++i) {
    const Visit &left = capture.visits[i - 1].visit, &right = capture.visits[i].visit;
    if (right.begins.empty()) continue;
    for (const double end : {from_s, to_s}) {
      if (end < right.begins.from_s || end > right.begins.to_s) continue;
      const EdgeFigures edge = edge_figures(*capture.trace, left, right);
      out += std::fabs(edge.right - edge.left) * (right.begins.to_s - right.begins.from_s) /
             (capture.channel.kind == SampleKind::averaged ? 8 : 4);
    }
  }
  return out;
}

Conditions pooled_conditions(const std::vector<SplitCapture>& captures) {
  std::vector<const SplitCapture*> recorded, typed;
  for (const SplitCapture& c : captures) (c.info.typed ? typed : recorded).push_back(&c);
  if (recorded.empty()) recorded.swap(typed);
  Conditions out = recorded.front()->info.conditions;
  for (const SplitCapture* c : recorded) {
    for (const ConditionMismatch& u : unlike_conditions(out, c->info.conditions))
      out[u.condition] = u.reference + " / " + u.candidate;
  }
  // What was read by eye says nothing of an instrument's settings; what it does say counts.
  for (const SplitCapture* c : typed) {
    for (const ConditionMismatch& u : unlike_conditions(out, c->info.conditions)) {
      if (!u.candidate.empty())
        out[u.condition] = u.reference.empty() ? u.candidate : u.reference + " / " + u.candidate;
    }
  }
  return out;
}

}  // namespace kuvio::book
