// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/channel_change.h"

#include "book/analysis.h"
#include "book/calibrations.h"
#include "book/channel_trace.h"
#include "book/derived.h"
#include "core/error.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "core/value_step.h"
#include "formats/log_time.h"
#include "formats/project_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <stdexcept>

namespace kuvio::study {
namespace {

using book::CaptureInfo;
using book::ChannelInfo;

[[noreturn]] void refuse(const CaptureInfo& capture, const std::string& why) {
  throw Error(Failure::usage, "channels unchanged", "capture " + capture.name, why);
}

const ChannelInfo& named(const CaptureInfo& capture, const std::string& name,
                         const book::Book& book) {
  if (const ChannelInfo* c = capture.channel(name)) return *c;
  return book::choose_channel(capture, name, book.path());  // says which there are
}

/// Nothing is made of itself, not by way of others either.
void refuse_ring(const book::Book& book, const CaptureInfo& capture, const std::string& name,
                 const Derivation& derivation) {
  auto all = book::derivations(book, capture.id);
  std::vector<std::string> next = derivation.of;
  std::set<std::string> seen;
  while (!next.empty()) {
    const std::string one = next.back();
    next.pop_back();
    if (one == name) refuse(capture, "channel " + name + " would be made of itself");
    if (!seen.insert(one).second || all.count(one) == 0) continue;
    next.insert(next.end(), all[one].of.begin(), all[one].of.end());
  }
}

/// Steps that each see those before, all undone where one cannot be.
class Changing {
public:
  Changing(book::Book& book, const ChannelChange& change, const std::stop_token& stop)
      : book_(book), change_(change), stop_(stop), capture_(book.capture(change.capture)) {}
  ~Changing() {
    if (done_) return;
    std::vector<book::Note> back;
    for (auto c = out_.changes.rbegin(); c != out_.changes.rend(); ++c) back.push_back(c->before);
    try {
      if (!back.empty()) book::put(book_, back);
    } catch (const std::exception&) {  // each step was whole; the next look shows what there is
    }
  }
  Changing(const Changing&) = delete;
  Changing& operator=(const Changing&) = delete;

  ChannelChanged run() {
    if (capture_.recording)
      throw Error(Failure::bad_data, "being recorded", "capture " + capture_.name,
                  "its channels can be put right once it has ended");
    book::require_recorded(capture_);
    const std::string states_on = split_channel();
    remove(states_on);
    calibrate();
    derive();
    split_again(states_on);
    done_ = true;
    return std::move(out_);
  }

private:
  void put(const book::ChangeRequest& request) {
    for (book::Change& c : book::put(book_, request)) {
      // What is changed twice goes back to what stood first.
      const auto known =
          std::find_if(out_.changes.begin(), out_.changes.end(), [&](const book::Change& have) {
            return have.after.capture == c.after.capture && have.after.key == c.after.key;
          });
      if (known == out_.changes.end()) {
        out_.changes.push_back(std::move(c));
      } else {
        known->after = std::move(c.after);
      }
    }
  }

  /// The channel that the states of the capture rest on; "" where it has none.
  std::string split_channel() const {
    for (const ChannelInfo& c : capture_.channels) {
      if (capture_.split_channel != 0 && c.id == capture_.split_channel) return c.name;
    }
    return "";
  }

  void remove(const std::string& states_on) {
    const std::string& name = change_.remove;
    if (name.empty()) return;
    if (book::derivations(book_, capture_.id).count(name) == 0)
      refuse(capture_, "channel " + name + " was not derived, and cannot be taken away");
    if (name == states_on)
      refuse(capture_, "the states rest on " + name + "; split by another channel first");
    put({{book::no_derived_note(capture_.id, name),
          book::calibration_note(capture_.id, name, {})}});
  }

  void calibrate() {
    std::set<std::string> changed;
    std::vector<book::Note> notes;
    for (const auto& [name, calibration] : change_.calibrations) {
      if (change_.derive && change_.derive->first == name && !capture_.channel(name)) continue;
      notes.push_back(checked(name, calibration));
      changed.insert(name);
    }
    if (notes.empty()) return;
    put({notes});
    follow(changed);
  }

  /// A calibration's note; refused where it does not fit its channel.
  book::Note checked(const std::string& name, const ChannelCalibration& calibration) const {
    ChannelInfo trial = book::as_recorded(named(book_.capture(capture_.id), name, book_));
    try {
      book::calibrate(trial, calibration);
    } catch (const std::invalid_argument& e) {
      refuse(capture_, "channel " + name + ": " + e.what());
    }
    return book::calibration_note(capture_.id, name, calibration);
  }

  void derive() {
    if (!change_.derive) return;
    const auto& [name, derivation] = *change_.derive;
    const bool was = book::derivations(book_, capture_.id).count(name) > 0;
    if (!was && capture_.channel(name))
      refuse(capture_, "it has a channel " + name + " already; give it another name");
    refuse_ring(book_, capture_, name, derivation);
    put({{book::make_derived(book_, book_.capture(capture_.id), name, derivation, stop_)}});
    if (const auto own = change_.calibrations.find(name); own != change_.calibrations.end())
      put({{checked(name, own->second)}});
    follow({name});
  }

  /// Makes anew what is made of channels that have changed.
  void follow(const std::set<std::string>& changed) {
    for (const std::string& name : book::make_again(
             book_, capture_.id, changed, stop_, [this](const book::Note& note) { put({{note}}); }))
      out_.said.push_back(name + " was made again");
  }

  /// The visits on a channel are found anew by their recipe: its levels are others now.
  void split_again(const std::string& channel) {
    const CaptureInfo capture = book_.capture(capture_.id);
    const auto split = book_.split(capture_.id);
    if (channel.empty() || !split || split->recipe_text.empty()) return;
    const ChannelInfo& now = named(capture, channel, book_);
    if (now.quantity != Quantity::current) {
      put({{book::Note{capture.id, "split", "0"}}});
      out_.said.push_back(
          fmt::format("{}'s states rested on {}, which is no current now: split it again",
                      capture.name, channel));
      return;
    }
    formats::RecipeFile recipe = formats::parse_recipe(split->recipe_text, "the split's recipe");
    recipe.recipe.channel = channel;
    put({{}, {{capture.id, book::split_capture(book_, capture, recipe.recipe, recipe.text)}}});
    out_.said.push_back(
        fmt::format("{} was split again by \"{}\"", capture.name, recipe.recipe.name));
  }

  book::Book& book_;
  const ChannelChange& change_;
  std::stop_token stop_;
  CaptureInfo capture_;
  ChannelChanged out_;
  bool done_ = false;
};

/// What digitised a channel, as its beginning shows it.
std::optional<double> count_of(const book::ChannelTrace& trace) {
  constexpr std::int64_t kLooked = 65536;
  std::vector<double> values;
  for (const Block& b : trace.blocks()) {
    const auto n = std::min(b.count, kLooked - static_cast<std::int64_t>(values.size()));
    if (n <= 0) break;
    values.resize(values.size() + static_cast<std::size_t>(n));
    trace.read(b, 0, std::span(values).last(static_cast<std::size_t>(n)));
  }
  return value_step(std::move(values));
}

/// What dividers leave uncertain of a small difference of large voltages.
void warn_of_dividers(const book::Book& book, const CaptureInfo& capture,
                      const Derivation& derivation, const ChannelInfo& channel,
                      std::vector<std::string>& warnings) {
  if (derivation.by != DerivedBy::difference) return;
  const auto all = book::calibrations(book, capture.id);
  double square = 0;
  for (const std::string& name : derivation.of) {
    const auto it = all.find(name);
    if (it == all.end() || !it->second.divider) continue;
    const book::ChannelTrace trace(book, named(capture, name, book));
    const double volts = measure(trace).mean().value_or(0);
    for (const double b : it->second.divider->bounds()) square += b * b * volts * volts / 3;
  }
  if (square == 0) return;
  const double factor = channel.recorded ? std::fabs(channel.calibration.gain) : 1;
  const double U = 1.96 * std::sqrt(square) * factor;
  const book::ChannelTrace trace(book, channel);
  const double mean = std::fabs(measure(trace).mean().value_or(0));
  if (U < 0.05 * mean) return;
  warnings.push_back(fmt::format(
      "the dividers' tolerances alone leave {} uncertain by {}, and its mean is {}: match the "
      "resistors, or take a zero with nothing connected",
      channel.name, with_prefix(U, channel.unit, 2), with_prefix(mean, channel.unit, 3)));
}

ZeroLevel zero_between(const book::Book& book, const CaptureInfo& capture, const std::string& name,
                       std::optional<std::pair<double, double>> span) {
  const ChannelInfo channel = book::as_recorded(named(capture, name, book));
  const book::ChannelTrace trace(book, channel);
  try {
    ZeroLevel zero = span ? zero_level(trace, span->first, span->second)
                          : zero_level(trace, trace.from_s(), trace.to_s());
    zero.from = span ? fmt::format("{:g} s to {:g} s", span->first, span->second)
                     : "capture " + capture.name;
    return zero;
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::bad_data, "no zero", "capture " + capture.name,
                fmt::format("channel {}: {}; nothing was changed", name, e.what()));
  }
}

}  // namespace

ChannelChanged change_channels(book::Book& book, const ChannelChange& change,
                               const std::stop_token& stop) {
  return Changing(book, change, stop).run();
}

ZeroLevel zero_in_span(const book::Book& book, const CaptureInfo& capture,
                       const std::string& channel, double from_s, double to_s) {
  return zero_between(book, capture, channel, std::pair(from_s, to_s));
}

ZeroLevel zero_of_capture(const book::Book& book, const CaptureInfo& other,
                          const std::string& channel, const CaptureInfo& capture) {
  ZeroLevel out = zero_between(book, other, channel, std::nullopt);
  const auto began = formats::calendar_ns(capture.started_utc),
             other_began = formats::calendar_ns(other.started_utc);
  const double apart = began && other_began ? static_cast<double>(*other_began - *began) * 1e-9 : 0;
  // Imported ones began when they were imported: that says nothing of when they were recorded.
  const bool known =
      apart != 0 && capture.end_reason != "imported" && other.end_reason != "imported";
  out.at_s = out.later_s = known ? out.at_s + apart : 0;
  return out;
}

ChannelFigures channel_figures(const book::Book& book, const CaptureInfo& capture,
                               const std::string& name) {
  const ChannelInfo& channel = named(capture, name, book);
  const book::ChannelTrace trace(book, channel);
  ChannelFigures out;
  out.count = count_of(trace);
  const auto all = book::calibrations(book, capture.id);
  if (const auto own = all.find(name);
      own != all.end() && own->second.shunt && channel.quantity == Quantity::current) {
    out.load = shunt_load(trace, own->second.shunt->value);
    const double rating = own->second.shunt_rating_w;
    if (rating > 0 && out.load->mean_w > rating)
      out.warnings.push_back(fmt::format("the shunt is rated at {} and heats with {} in the mean",
                                         with_prefix(rating, "W", 3),
                                         with_prefix(out.load->mean_w, "W", 3)));
  }
  const auto derived = book::derivations(book, capture.id);
  if (const auto it = derived.find(name); it != derived.end())
    warn_of_dividers(book, capture, it->second, channel, out.warnings);
  return out;
}

}  // namespace kuvio::study
