// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/calibrations.h"

#include "book/sqlite.h"
#include "book/text.h"
#include "core/error.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <stdexcept>

namespace kuvio::book {
namespace {

using nlohmann::json;

constexpr const char* kPrefix = "calibration:";

json to_json(const Toleranced& t) {
  json out{{"value", t.value}, {"tolerance", t.tolerance}};
  if (t.thermal() > 0) {
    out["per_kelvin"] = t.per_kelvin;
    out["kelvin"] = t.kelvin;
  }
  return out;
}

double number(const json& from, const char* key, double otherwise) {
  const double out = from.value(key, otherwise);
  if (!std::isfinite(out)) throw std::invalid_argument(key);
  return out;
}

Toleranced resistor(const json& from) {
  const Toleranced out{number(from, "value", 0), number(from, "tolerance", 0),
                       number(from, "per_kelvin", 0), number(from, "kelvin", 0)};
  const bool sound = out.value > 0 && out.tolerance >= 0 && out.tolerance < 1 &&
                     out.per_kelvin >= 0 && out.kelvin >= 0;
  if (!sound) throw std::invalid_argument("a resistor");
  return out;
}

std::string text_of(const ChannelCalibration& c) {
  json out = json::object();
  if (c.gain != 1) out["gain"] = c.gain;
  if (c.offset != 0) out["offset"] = c.offset;
  if (c.divider)
    out["divider"] = {{"upper", to_json(c.divider->upper)}, {"lower", to_json(c.divider->lower)}};
  if (c.shunt) out["shunt"] = to_json(*c.shunt);
  if (c.shunt_rating_w > 0) out["shunt_rating_w"] = c.shunt_rating_w;
  if (c.zero) {
    out["zero"] = {{"mean", c.zero->mean}, {"U", c.zero->U}, {"from", c.zero->from}};
    if (c.zero->drift != 0) out["zero"]["drift"] = c.zero->drift;
    if (c.zero->along()) {
      out["zero"]["at_s"] = c.zero->at_s;
      out["zero"]["later_s"] = c.zero->later_s;
    }
  }
  if (c.subtract != 0) out["subtract"] = c.subtract;
  if (!c.accuracy.empty()) out["accuracy"] = c.accuracy;
  return out.dump();
}

ChannelCalibration calibration_of(const json& from) {
  ChannelCalibration out;
  out.gain = number(from, "gain", 1);
  out.offset = number(from, "offset", 0);
  out.subtract = number(from, "subtract", 0);
  out.shunt_rating_w = number(from, "shunt_rating_w", 0);
  out.accuracy = shortened(from.value("accuracy", ""), kMostName);
  if (from.contains("divider"))
    out.divider =
        Divider{resistor(from["divider"].at("upper")), resistor(from["divider"].at("lower"))};
  if (from.contains("shunt")) out.shunt = resistor(from["shunt"]);
  if (from.contains("zero")) {
    const json& zero = from["zero"];
    out.zero = ZeroLevel{number(zero, "mean", 0),  number(zero, "U", 0),
                         number(zero, "drift", 0), shortened(zero.value("from", ""), kMostName),
                         number(zero, "at_s", 0),  number(zero, "later_s", 0)};
    if (out.zero->U < 0) throw std::invalid_argument("a zero");
  }
  if (out.gain == 0) throw std::invalid_argument("a gain");
  return out;
}

/// For people: what was put right.
std::string in_words(const ChannelCalibration& c) {
  std::string out;
  const auto say = [&](const std::string& what) { out += (out.empty() ? "" : ", ") + what; };
  if (c.gain != 1) say(fmt::format("gain {:g}", c.gain));
  if (c.offset != 0) say(fmt::format("offset {:g}", c.offset));
  if (c.divider) say("divider " + to_string(*c.divider));
  if (c.shunt) say("shunt " + to_string(*c.shunt));
  if (c.zero) say(fmt::format("zero {:g} ± {:.2g} from {}", c.zero->mean, c.zero->U, c.zero->from));
  if (c.zero && c.zero->along())
    say(fmt::format("drifting by {:g} over {:g} s", c.zero->drift, c.zero->later_s - c.zero->at_s));
  if (c.subtract != 0) say(fmt::format("less {:g} of the logger's own", c.subtract));
  return out;
}

}  // namespace

std::map<std::string, ChannelCalibration> calibrations(const Book& book, std::int64_t capture) {
  std::map<std::string, ChannelCalibration> out;
  if (book.version() < 2) return out;
  auto notes = book.database().prepare(
      "SELECT substr(key, 13), value FROM note WHERE capture=?1 AND key>'calibration:' AND "
      "key<'calibration;' ORDER BY key LIMIT 1000");
  notes.bind_all(capture);
  while (notes.step()) {
    const std::string name = shortened(notes.text(0), kMostName);
    const json kept = json::parse(notes.text(1), nullptr, false);
    try {
      if (!kept.is_object()) throw std::invalid_argument("no object");
      out[name] = calibration_of(kept);
    } catch (const std::exception&) {
      throw Error(
          Failure::bad_data, "damaged book", book.path(),
          fmt::format("the calibration of channel {} of capture {} makes no sense", name, capture));
    }
  }
  return out;
}

Note calibration_note(std::int64_t capture, const std::string& channel,
                      const ChannelCalibration& calibration) {
  const std::string key = kPrefix + channel;
  if (calibration.identity()) return {capture, key, std::nullopt};
  return {capture, key, text_of(calibration)};
}

void calibrate(ChannelInfo& c, const ChannelCalibration& calibration) {
  const Dimension recorded = info(c.quantity).dimension;
  const bool states = recorded == Dimension::current || recorded == Dimension::voltage;
  Accuracy stated;
  if (!c.accuracy.empty() && states) stated = parse_accuracy(c.accuracy, recorded);
  const CalibratedChannel result = calibrated(calibration, c.quantity, stated);
  c.recorded = std::make_shared<const ChannelInfo>(c);
  c.calibration.offset = result.gain * c.calibration.offset + result.offset;
  c.calibration.slope = result.gain * c.calibration.slope + result.slope;
  c.calibration.gain *= result.gain;
  c.calibration.text += (c.calibration.text.empty() ? "" : ", ") + in_words(calibration);
  c.quantity = result.quantity;
  const Dimension now = info(c.quantity).dimension;
  if (c.quantity != c.recorded->quantity) c.unit = std::string(info(c.quantity).unit);
  if (now == Dimension::current || now == Dimension::voltage)
    c.accuracy = result.accuracy.stated() ? to_string(result.accuracy, now) : "";
}

ChannelInfo as_recorded(ChannelInfo channel) {
  if (!channel.recorded) return channel;
  const std::shared_ptr<const ChannelInfo> before = channel.recorded;
  channel.calibration = before->calibration;
  channel.quantity = before->quantity;
  channel.unit = before->unit;
  channel.accuracy = before->accuracy;
  channel.recorded.reset();
  return channel;
}

}  // namespace kuvio::book
