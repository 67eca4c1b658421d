// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/typed.h"

#include "book/capture_writer.h"
#include "book/text.h"
#include "core/error.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <stdexcept>

namespace kuvio::book {
namespace {

using nlohmann::json;

constexpr const char* kKey = "typed";
constexpr const char* kEnd = "typed";
constexpr std::size_t kMostReadings = 10000;

json to_json(const Stated& s) {
  json out{{"value", s.value}};
  if (s.accuracy.offset > 0) out["plus_minus"] = s.accuracy.offset;
  if (s.accuracy.gain > 0) out["plus_minus_share"] = s.accuracy.gain;
  if (s.accuracy.expanded) out["k"] = 2;
  return out;
}

Stated stated_of(const json& from) {
  Stated out{from.at("value").get<double>(),
             {from.value("plus_minus_share", 0.0), from.value("plus_minus", 0.0),
              from.value("k", 0) == 2}};
  const bool sound = std::isfinite(out.value) && std::isfinite(out.accuracy.gain) &&
                     std::isfinite(out.accuracy.offset) && out.accuracy.gain >= 0 &&
                     out.accuracy.offset >= 0;
  if (!sound) throw std::invalid_argument("a value");
  return out;
}

TypedReading reading_of(const json& from) {
  TypedReading out;
  out.state = shortened(from.at("state").get<std::string>(), kMostName);
  for (const TypedQuantity& q : typed_quantities()) {
    const std::string key(q.key);
    if (from.contains(key)) out.*q.value = stated_of(from[key]);
  }
  check_typed(out);
  return out;
}

}  // namespace

std::vector<TypedReading> typed_readings(const Book& book, std::int64_t capture) {
  std::vector<TypedReading> out;
  const auto kept = book.note(capture, kKey);
  if (!kept) return out;
  try {
    const json list = json::parse(*kept, nullptr, false);
    if (!list.is_array() || list.size() > kMostReadings) throw std::invalid_argument("no list");
    for (const json& one : list) out.push_back(reading_of(one));
  } catch (const std::exception&) {
    throw Error(Failure::bad_data, "damaged book", book.path(),
                fmt::format("the typed readings of capture {} make no sense", capture));
  }
  return out;
}

Note typed_note(std::int64_t capture, const std::vector<TypedReading>& readings) {
  if (readings.size() > kMostReadings)
    throw Error(Failure::bad_data, "too many readings", fmt::format("capture {}", capture),
                fmt::format("a capture holds {} at most", kMostReadings));
  json list = json::array();
  for (const TypedReading& r : readings) {
    json one{{"state", r.state}};
    for (const TypedQuantity& q : typed_quantities()) {
      if (r.*q.value) one[std::string(q.key)] = to_json(*(r.*q.value));
    }
    list.push_back(std::move(one));
  }
  return {capture, kKey, list.dump()};
}

std::int64_t typed_capture(Book& book, const std::string& build, const std::string& name,
                           const Conditions& conditions) {
  for (const CaptureInfo& c : book.captures()) {
    if (c.build != build || (!name.empty() && c.name != name)) continue;
    if (c.typed && c.conditions == conditions) return c.id;
    if (!c.typed && c.name == name)
      throw Error(Failure::bad_data, "a recorded capture", book.path(),
                  "\"" + name + "\" was recorded; typed readings go into a capture of their own");
  }
  std::string own = name;
  if (own.empty()) own = build.empty() ? "typed" : build + " typed";
  CaptureWriter writer(book, {own, build, conditions, false}, {});
  writer.finish(kEnd, false);
  return writer.id();
}

}  // namespace kuvio::book
