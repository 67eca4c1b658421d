// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "book/calibrations.h"
#include "book/channel_trace.h"
#include "book/notes.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/project_files.h"

#include "command.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <memory>

namespace kuvio::cli {
namespace {

using book::CaptureInfo;
using book::ChannelInfo;

struct Options {
  std::string book, capture, name, offset, shunt, rating, subtract, accuracy;
  std::optional<double> gain;
  std::vector<std::string> zero_from, dividers;
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

/// The visits of a split channel are found anew by its recipe: its levels are others now.
void split_again(const book::Book& book, std::int64_t id) {
  const CaptureInfo capture = book.capture(id);
  const auto split = book.split(id);
  if (!capture.split || !split || split->recipe_text.empty()) return;
  const formats::RecipeFile recipe =
      formats::parse_recipe(split->recipe_text, "the split's recipe");
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
  for (const std::string& w : warnings) say(w);
  out.document["warnings"] = warnings;
  return out;
}

Outcome run(const Options& o, bool json) {
  const bool change = o.reset || o.gain || !o.offset.empty() || !o.shunt.empty() ||
                      !o.rating.empty() || !o.subtract.empty() || !o.accuracy.empty() ||
                      !o.zero_from.empty() || !o.dividers.empty();
  const book::Book book =
      book::Book::open(o.book, change ? book::Book::Mode::write : book::Book::Mode::read);
  CaptureInfo capture = book.find(o.capture);
  auto all = book::calibrations(book, capture.id);
  named(capture, o.name, o.book);
  if (change) {
    if (capture.recording)
      throw Error(Failure::bad_data, "being recorded", "capture " + capture.name,
                  "it can be calibrated once it has ended");
    std::vector<book::Note> notes;
    if (o.reset) all[o.name] = {};
    for (const std::string& text : o.dividers) {
      auto [name, divider] = divider_of(text);
      named(capture, name, o.book);
      all[name].divider = divider;
    }
    all[o.name] =
        changed(all[o.name], o, book, capture, book::as_recorded(named(capture, o.name, o.book)));
    for (const auto& [name, calibration] : all) {
      ChannelInfo trial = book::as_recorded(named(capture, name, o.book));
      try {
        book::calibrate(trial, calibration);
      } catch (const std::invalid_argument& e) {
        usage(fmt::format("channel {}: {}", name, e.what()));
      }
      notes.push_back(book::calibration_note(capture.id, name, calibration));
    }
    book::put(book, notes);
    split_again(book, capture.id);
    capture = book.capture(capture.id);
  }
  Outcome out = describe(book, capture, o.name, all[o.name]);
  const ChannelInfo& channel = named(capture, o.name, o.book);
  if (!json)
    fmt::print("{} of {}: {}{}{}\n", channel.name, capture.name, info(channel.quantity).key,
               channel.calibration.text.empty() ? ", as recorded" : ", " + channel.calibration.text,
               channel.accuracy.empty() ? "" : ", ± (" + channel.accuracy + ")");
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
  app.add_flag("--reset", o->reset, "back to what was recorded");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
