// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/analysis.h"
#include "book/calibrations.h"
#include "book/derived.h"
#include "book/notes.h"
#include "core/number_text.h"

#include "command.h"
#include "study/channel_change.h"

#include <fmt/format.h>

#include <charconv>
#include <memory>

namespace kuvio::cli {
namespace {

using book::CaptureInfo;
using book::ChannelInfo;

struct Options {
  std::string book, capture, name, offset, shunt, rating, subtract, accuracy;
  std::optional<double> gain;
  std::vector<std::string> zero_from, dividers;
  std::string product, difference, sum, ratio, running, rolling_mean, referred;
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
  if (const auto span = span_of(from))
    return study::zero_in_span(book, capture, name, span->first, span->second);
  return study::zero_of_capture(book, book.find(from), name, capture);
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
  if (!o.referred.empty()) {
    if (out) usage("a channel is derived in one way");
    return reading("--referred", o.referred, parse_referral);
  }
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
                   {"along", c.zero->along()},
                   {"from", c.zero->from}};
  } else {
    out["zero"] = nullptr;
  }
  out["subtract"] = c.subtract;
  return out;
}

/// What the shunt does to the device, and what it has to bear.
void add_load(const ShuntLoad& load, double rating_w, Outcome& out) {
  out.document["burden"] = {{"peak_v", load.peak_v}, {"mean_v", load.mean_v}};
  out.document["dissipation"] = {{"peak_w", load.peak_w}, {"mean_w", load.mean_w}};
  if (rating_w > 0) out.document["dissipation"]["rating_w"] = rating_w;
  say(fmt::format("the shunt drops {} at the peak, {} in the mean; it heats with {} in the mean",
                  with_prefix(load.peak_v, "V", 3), with_prefix(load.mean_v, "V", 3),
                  with_prefix(load.mean_w, "W", 3)));
}

Outcome describe(const book::Book& book, const CaptureInfo& capture, const std::string& name,
                 const ChannelCalibration& c) {
  const ChannelInfo& channel = named(capture, name, book.path());
  const study::ChannelFigures figures = study::channel_figures(book, capture, name);
  Outcome out;
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
  out.document[key] = figures.count ? nlohmann::ordered_json(*figures.count) : nullptr;
  if (figures.load) add_load(*figures.load, c.shunt_rating_w, out);
  const auto derived = book::derivations(book, capture.id);
  if (const auto it = derived.find(name); it != derived.end())
    out.document["derived"] = {{"by", key_of(it->second.by)}, {"of", it->second.of}};
  for (const std::string& w : figures.warnings) say(w);
  out.document["warnings"] = figures.warnings;
  return out;
}

bool calibrates(const Options& o) {
  return o.reset || o.gain || !o.offset.empty() || !o.shunt.empty() || !o.rating.empty() ||
         !o.subtract.empty() || !o.accuracy.empty() || !o.zero_from.empty() || !o.dividers.empty();
}

/// What the options ask for.
study::ChannelChange change_of(const book::Book& book, const CaptureInfo& capture, const Options& o,
                               const std::optional<Derivation>& derivation) {
  study::ChannelChange out;
  out.capture = capture.id;
  auto all = book::calibrations(book, capture.id);
  for (const std::string& text : o.dividers) {
    auto [name, divider] = divider_of(text);
    named(capture, name, o.book);
    out.calibrations.emplace(name, all[name]).first->second.divider = divider;
  }
  if (o.remove) out.remove = o.name;
  if (derivation) out.derive.emplace(o.name, *derivation);
  if (!calibrates(o)) return out;
  ChannelInfo recorded;  // of one that is yet to be made all is taken as it comes
  if (const ChannelInfo* c = capture.channel(o.name)) recorded = book::as_recorded(*c);
  const auto own = out.calibrations.find(o.name);
  const ChannelCalibration before = o.reset                         ? ChannelCalibration{}
                                    : own != out.calibrations.end() ? own->second
                                                                    : all[o.name];
  out.calibrations[o.name] = changed(before, o, book, capture, recorded);
  return out;
}

Outcome run(const Options& o, bool json) {
  const std::optional<Derivation> derivation = derivation_of(o);
  const bool change = calibrates(o) || derivation || o.remove;
  book::Book book =
      book::Book::open(o.book, change ? book::Book::Mode::write : book::Book::Mode::read);
  CaptureInfo capture = book.find(o.capture);
  if (!derivation) named(capture, o.name, o.book);
  if (change) {
    for (const std::string& said :
         study::change_channels(book, change_of(book, capture, o, derivation)).said)
      say(said);
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
  app.add_option("--referred", o->referred,
                 "a current behind a regulator as it is ahead of it: \"I 1.8 V/3.6 V 10 uA:40 %,1 "
                 "mA:80 %\", with the efficiency at currents behind it");
  app.add_option("--rolling-mean", o->rolling_mean, "\"A 100 ms\": its mean over a window");
  app.add_flag("--remove", o->remove, "takes a derived channel away");
  app.add_flag("--reset", o->reset, "back to what was recorded");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
