// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "book/calibrations.h"
#include "book/channel_trace.h"
#include "book/derived.h"
#include "book/notes.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/project_files.h"

#include "command.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <memory>
#include <set>

namespace kuvio::cli {
namespace {

using book::CaptureInfo;
using book::ChannelInfo;

struct Options {
  std::string book, capture, name, offset, shunt, rating, subtract, accuracy;
  std::optional<double> gain;
  std::vector<std::string> zero_from, dividers;
  std::string product, difference, sum, ratio, running, rolling_mean;
  bool remove = false;
  bool reset = false;
};

/// Runs what reads a person's text, and says which option it was.
template <typename Read>
auto reading(const std::string& option, const std::string& text, Read read) {
  try {
    return read(text);
  } catch (const std::invalid_argument& e) {
    usage(fmt::format("{} \"{}\": {}", option, text, e.what()));
  }
}

const ChannelInfo& named(const CaptureInfo& capture, const std::string& name,
                         const std::string& book) {
  if (const ChannelInfo* c = capture.channel(name)) return *c;
  return book::choose_channel(capture, name, book);  // says which there are
}

std::optional<std::pair<double, double>> span_of(const std::string& text) {
  const auto dots = text.find("..");
  if (dots == std::string::npos) return std::nullopt;
  const auto number = [](std::string_view from) -> std::optional<double> {
    double out = 0;
    const auto [end, failed] = std::from_chars(from.data(), from.data() + from.size(), out);
    return failed == std::errc{} && end == from.data() + from.size() ? std::optional(out)
                                                                     : std::nullopt;
  };
  const auto from = number(std::string_view(text).substr(0, dots)),
             to = number(std::string_view(text).substr(dots + 2));
  if (!from || !to || !(*to > *from)) return std::nullopt;
  return std::pair(*from, *to);
}

/// A zero from another capture's channel of the same name, or from a span of this one, in the unit
/// as recorded.
ZeroLevel zero_from(const book::Book& book, const CaptureInfo& capture, const std::string& name,
                    const std::string& from) {
  const auto span = span_of(from);
  const CaptureInfo other = span ? capture : book.find(from);
  const ChannelInfo channel = book::as_recorded(named(other, name, book.path()));
  const book::ChannelTrace trace(book, channel);
  try {
    ZeroLevel zero = span ? zero_level(trace, span->first, span->second)
                          : zero_level(trace, trace.from_s(), trace.to_s());
    zero.from =
        span ? fmt::format("{:g} s to {:g} s", span->first, span->second) : "capture " + other.name;
    return zero;
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::bad_data, "no zero", "capture " + other.name,
                fmt::format("channel {}: {}; nothing was changed", name, e.what()));
  }
}

ChannelCalibration changed(ChannelCalibration c, const Options& o, const book::Book& book,
                           const CaptureInfo& capture, const ChannelInfo& recorded) {
  if (o.gain) c.gain = *o.gain;
  if (!o.shunt.empty()) c.shunt = reading("--shunt", o.shunt, parse_resistor);
  const Quantity results = c.shunt ? Quantity::current : recorded.quantity;
  const Dimension dimension = info(results).dimension;
  if (!o.offset.empty()) c.offset = option_quantity("--offset", o.offset, dimension);
  if (!o.subtract.empty()) c.subtract = option_quantity("--subtract", o.subtract, dimension);
  if (!o.rating.empty())
    c.shunt_rating_w = option_quantity("--shunt-rating", o.rating, Dimension::power);
  if (!o.accuracy.empty()) {
    reading("--accuracy", o.accuracy, [](const std::string& text) { return parse_accuracy(text); });
    c.accuracy = o.accuracy;
  }
  if (o.zero_from.size() > 2) usage("--zero-from: one zero, or one before and one after");
  if (o.zero_from.empty()) return c;
  c.zero = zero_from(book, capture, o.name, o.zero_from.front());
  if (o.zero_from.size() == 2)
    c.zero = between(*c.zero, zero_from(book, capture, o.name, o.zero_from.back()));
  return c;
}

/// "V_hi=90k/10k 1 %".
std::pair<std::string, Divider> divider_of(const std::string& text) {
  const auto equals = text.find('=');
  if (equals == std::string::npos || equals == 0)
    usage("--divider \"" + text + "\" is not NAME=R1/R2");
  return {text.substr(0, equals), reading("--divider", text.substr(equals + 1), parse_divider)};
}

std::vector<std::string> names_in(const std::string& list) {
  std::vector<std::string> out;
  for (std::size_t at = 0; at <= list.size();) {
    const auto comma = std::min(list.find(',', at), list.size());
    std::string name = list.substr(at, comma - at);
    while (name.starts_with(' ')) name.erase(0, 1);
    while (name.ends_with(' ')) name.pop_back();
    out.push_back(name);
    at = comma + 1;
  }
  return out;
}

/// What the options say that the channel is made of; nothing where none does.
std::optional<Derivation> derivation_of(const Options& o) {
  std::optional<Derivation> out;
  const auto take = [&](const std::string& list, DerivedBy by) {
    if (list.empty()) return;
    if (out) usage("a channel is derived in one way");
    out = Derivation{by, names_in(list), 0};
  };
  take(o.product, DerivedBy::product);
  take(o.difference, DerivedBy::difference);
  take(o.sum, DerivedBy::sum);
  take(o.ratio, DerivedBy::ratio);
  take(o.running, DerivedBy::running);
  if (o.rolling_mean.empty()) return out;
  // "I 100 ms"
  const auto blank = o.rolling_mean.find(' ');
  if (blank == std::string::npos) usage("--rolling-mean is written \"I 100 ms\"");
  take(o.rolling_mean.substr(0, blank), DerivedBy::rolling_mean);
  out->window_s =
      option_quantity("--rolling-mean", o.rolling_mean.substr(blank + 1), Dimension::time);
  if (!(out->window_s > 0)) usage("--rolling-mean: a window is longer than nothing");
  return out;
}

/// Nothing is made of itself, not by way of others either.
void refuse_ring(const book::Book& book, std::int64_t capture, const std::string& name,
                 const Derivation& derivation) {
  auto all = book::derivations(book, capture);
  std::vector<std::string> next = derivation.of;
  std::set<std::string> seen;
  while (!next.empty()) {
    const std::string one = next.back();
    next.pop_back();
    if (one == name) usage("channel " + name + " would be made of itself");
    if (!seen.insert(one).second || all.count(one) == 0) continue;
    next.insert(next.end(), all[one].of.begin(), all[one].of.end());
  }
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
    const book::ChannelTrace trace(book, named(capture, name, book.path()));
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

/// The channel that the states of a capture rest on; "" where it has none.
std::string split_channel(const book::Book& book, const CaptureInfo& capture) {
  const auto split = capture.split ? book.split(capture.id) : std::nullopt;
  for (const ChannelInfo& c : capture.channels) {
    if (split && c.id == split->channel) return c.name;
  }
  return "";
}

/// The visits on a channel are found anew by their recipe: its levels are others now.
void split_again(const book::Book& book, std::int64_t id, const std::string& channel) {
  const CaptureInfo capture = book.capture(id);
  const auto split = book.split(id);
  if (channel.empty() || !split || split->recipe_text.empty()) return;
  if (named(capture, channel, book.path()).quantity != Quantity::current) {
    book::put(book, {book::Note{id, "split", "0"}});
    say(fmt::format("{}'s states rested on {}, which is no current now: split it again",
                    capture.name, channel));
    return;
  }
  formats::RecipeFile recipe = formats::parse_recipe(split->recipe_text, "the split's recipe");
  recipe.recipe.channel = channel;
  book.save_split(id, book::split_capture(book, capture, recipe.recipe, recipe.text));
  say(fmt::format("{} was split again by \"{}\"", capture.name, recipe.recipe.name));
}

/// The least step between values of the beginning: a count of whatever digitised it.
std::optional<double> count_of(const book::ChannelTrace& trace) {
  constexpr std::int64_t kLooked = 65536;
  std::vector<double> values;
  for (const Block& b : trace.blocks()) {
    const auto n = std::min(b.count, kLooked - static_cast<std::int64_t>(values.size()));
    if (n <= 0) break;
    values.resize(values.size() + static_cast<std::size_t>(n));
    trace.read(b, 0, std::span(values).last(static_cast<std::size_t>(n)));
  }
  std::sort(values.begin(), values.end());
  double least = 0;
  for (std::size_t i = 1; i < values.size(); ++i) {
    const double step = values[i] - values[i - 1];
    const bool rounding = step <= 1e-12 * std::fabs(values[i]);
    if (!rounding && step > 0 && (least == 0 || step < least)) least = step;
  }
  return least > 0 ? std::optional(least) : std::nullopt;
}

nlohmann::ordered_json document_of(const ChannelCalibration& c) {
  nlohmann::ordered_json out = nlohmann::ordered_json::object();
  out["gain"] = c.gain;
  out["offset"] = c.offset;
  out["divider"] = c.divider ? nlohmann::ordered_json(to_string(*c.divider)) : nullptr;
  out["shunt"] = c.shunt ? nlohmann::ordered_json(to_string(*c.shunt)) : nullptr;
  if (c.zero) {
    out["zero"] = {{"mean", c.zero->mean},
                   {"mean_u", c.zero->U},
                   {"drift", c.zero->drift},
                   {"from", c.zero->from}};
  } else {
    out["zero"] = nullptr;
  }
  out["subtract"] = c.subtract;
  return out;
}

/// What the shunt does to the device, and what it has to bear.
void add_load(const ChannelInfo& channel, const book::ChannelTrace& trace,
              const ChannelCalibration& c, Outcome& out, std::vector<std::string>& warnings) {
  if (!c.shunt || channel.quantity != Quantity::current) return;
  const ShuntLoad load = shunt_load(trace, c.shunt->value);
  out.document["burden"] = {{"peak_v", load.peak_v}, {"mean_v", load.mean_v}};
  out.document["dissipation"] = {{"peak_w", load.peak_w}, {"mean_w", load.mean_w}};
  say(fmt::format("the shunt drops {} at the peak, {} in the mean; it heats with {} in the mean",
                  with_prefix(load.peak_v, "V", 3), with_prefix(load.mean_v, "V", 3),
                  with_prefix(load.mean_w, "W", 3)));
  if (c.shunt_rating_w <= 0) return;
  out.document["dissipation"]["rating_w"] = c.shunt_rating_w;
  if (load.mean_w > c.shunt_rating_w)
    warnings.push_back(fmt::format("the shunt is rated at {} and heats with {} in the mean",
                                   with_prefix(c.shunt_rating_w, "W", 3),
                                   with_prefix(load.mean_w, "W", 3)));
}

Outcome describe(const book::Book& book, const CaptureInfo& capture, const std::string& name,
                 const ChannelCalibration& c) {
  const ChannelInfo& channel = named(capture, name, book.path());
  const book::ChannelTrace trace(book, channel);
  Outcome out;
  std::vector<std::string> warnings;
  const std::string key = "count_" + std::string(channel.unit == "V"   ? "v"
                                                 : channel.unit == "A" ? "a"
                                                                       : "si");
  out.document = {{"capture", capture.name},
                  {"channel", channel.name},
                  {"quantity", std::string(info(channel.quantity).key)},
                  {"unit", channel.unit},
                  {"calibration", document_of(c)},
                  {"gain_total", channel.calibration.gain},
                  {"offset_total", channel.calibration.offset},
                  {"accuracy", channel.accuracy}};
  const auto count = count_of(trace);
  out.document[key] = count ? nlohmann::ordered_json(*count) : nullptr;
  add_load(channel, trace, c, out, warnings);
  const auto derived = book::derivations(book, capture.id);
  if (const auto it = derived.find(name); it != derived.end()) {
    out.document["derived"] = {{"by", key_of(it->second.by)}, {"of", it->second.of}};
    warn_of_dividers(book, capture, it->second, channel, warnings);
  }
  for (const std::string& w : warnings) say(w);
  out.document["warnings"] = warnings;
  return out;
}

bool calibrates(const Options& o) {
  return o.reset || o.gain || !o.offset.empty() || !o.shunt.empty() || !o.rating.empty() ||
         !o.subtract.empty() || !o.accuracy.empty() || !o.zero_from.empty() || !o.dividers.empty();
}

/// Dividers ahead of other channels come before what is made of them.
void set_dividers(book::Book& book, std::int64_t id, const Options& o) {
  const CaptureInfo capture = book.capture(id);
  auto all = book::calibrations(book, id);
  std::vector<book::Note> notes;
  std::set<std::string> changed;
  for (const std::string& text : o.dividers) {
    auto [name, divider] = divider_of(text);
    named(capture, name, o.book);
    all[name].divider = divider;
    notes.push_back(book::calibration_note(id, name, all[name]));
    changed.insert(name);
  }
  if (notes.empty()) return;
  book::put(book, notes);
  book::make_again(book, id, changed);
}

void make_channel(book::Book& book, std::int64_t id, const Options& o,
                  const std::optional<Derivation>& derivation) {
  const CaptureInfo capture = book.capture(id);
  const bool was_derived = book::derivations(book, id).count(o.name) > 0;
  if (o.remove) {
    if (!was_derived) usage("channel " + o.name + " was not derived, and cannot be taken away");
    book::put(book, {book::no_derived_note(id, o.name), book::calibration_note(id, o.name, {})});
    return;
  }
  if (!derivation) return;
  if (!was_derived && capture.channel(o.name))
    usage("capture " + capture.name + " has a channel " + o.name +
          " already; give it another name");
  refuse_ring(book, id, o.name, *derivation);
  book::put(book, {book::make_derived(book, capture, o.name, *derivation)});
  book::make_again(book, id, {o.name});
}

void calibrate_channel(book::Book& book, std::int64_t id, const Options& o) {
  const CaptureInfo capture = book.capture(id);
  const ChannelInfo recorded = book::as_recorded(named(capture, o.name, o.book));
  auto all = book::calibrations(book, id);
  const ChannelCalibration before = o.reset ? ChannelCalibration{} : all[o.name];
  const ChannelCalibration now = changed(before, o, book, capture, recorded);
  ChannelInfo trial = recorded;
  try {
    book::calibrate(trial, now);
  } catch (const std::invalid_argument& e) {
    usage(fmt::format("channel {}: {}", o.name, e.what()));
  }
  book::put(book, {book::calibration_note(id, o.name, now)});
  for (const std::string& name : book::make_again(book, id, {o.name}))
    say(name + " was made again");
}

Outcome run(const Options& o, bool json) {
  const std::optional<Derivation> derivation = derivation_of(o);
  const bool change = calibrates(o) || derivation || o.remove;
  book::Book book =
      book::Book::open(o.book, change ? book::Book::Mode::write : book::Book::Mode::read);
  CaptureInfo capture = book.find(o.capture);
  if (!derivation) named(capture, o.name, o.book);
  if (change && capture.recording)
    throw Error(Failure::bad_data, "being recorded", "capture " + capture.name,
                "its channels can be put right once it has ended");
  if (change) {
    const std::string states_on = split_channel(book, capture);
    if (o.remove && states_on == o.name)
      usage("the states rest on it; split " + capture.name + " by another channel first");
    set_dividers(book, capture.id, o);
    make_channel(book, capture.id, o, derivation);
    if (calibrates(o)) calibrate_channel(book, capture.id, o);
    split_again(book, capture.id, states_on);
    capture = book.capture(capture.id);
  }
  if (o.remove) {
    Outcome out;
    out.document = {{"capture", capture.name}, {"removed", o.name}};
    return out;
  }
  auto all = book::calibrations(book, capture.id);
  Outcome out = describe(book, capture, o.name, all[o.name]);
  const ChannelInfo& channel = named(capture, o.name, o.book);
  if (!json) {
    const std::string from = channel.derived.empty() ? "" : ", " + channel.derived;
    const std::string how = channel.calibration.text.empty() ? (from.empty() ? ", as recorded" : "")
                                                             : ", " + channel.calibration.text;
    fmt::print("{} of {}: {}{}{}{}\n", channel.name, capture.name, info(channel.quantity).key, from,
               how, channel.accuracy.empty() ? "" : ", ± (" + channel.accuracy + ")");
  }
  return out;
}

}  // namespace

Runner add_channel(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book")->required();
  app.add_option("CAPTURE", o->capture, "id or unique name")->required();
  app.add_option("NAME", o->name, "the channel")->required();
  app.add_option("--gain", o->gain, "what its values are multiplied with");
  app.add_option("--offset", o->offset, "what is added then, e.g. \"-120 nA\"");
  app.add_option("--zero-from", o->zero_from,
                 "a capture or a span FROM..TO in which nothing flowed; twice: before and after");
  app.add_option("--shunt", o->shunt, "turns a drop into a current, e.g. \"0.1 Ohm 1 %\"");
  app.add_option("--shunt-rating", o->rating, "what the shunt may heat with, e.g. \"250 mW\"");
  app.add_option("--divider", o->dividers,
                 "NAME=R1/R2: a divider ahead of a channel, e.g. \"V=90k/10k 1 %\"");
  app.add_option("--subtract", o->subtract, "what the logger itself draws, e.g. \"5 mA\"");
  app.add_option("--accuracy", o->accuracy, "as in \"0.08 % + 40 nA\"");
  app.add_option("--product", o->product, "makes NAME of two channels: A,B");
  app.add_option("--difference", o->difference, "A,B: A less B");
  app.add_option("--sum", o->sum, "A,B,…");
  app.add_option("--ratio", o->ratio, "A,B: A over B");
  app.add_option("--running", o->running, "A: its integral since the beginning");
  app.add_option("--rolling-mean", o->rolling_mean, "\"A 100 ms\": its mean over a window");
  app.add_flag("--remove", o->remove, "takes a derived channel away");
  app.add_flag("--reset", o->reset, "back to what was recorded");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
