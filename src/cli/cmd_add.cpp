// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/notes.h"
#include "book/typed.h"
#include "core/ledger.h"
#include "core/number_text.h"
#include "formats/json_results.h"

#include "command.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <memory>
#include <stdexcept>

namespace kuvio::cli {
namespace {

namespace fs = std::filesystem;

struct Options {
  std::string book, state, plus_minus, build, name;
  std::array<std::string, 4> values;  // as typed_quantities() has them
  std::vector<std::string> conditions;
  bool replace = false;
};

TypedReading reading_of(const Options& o) {
  TypedReading out;
  out.state = o.state;
  const auto quantities = typed_quantities();
  Stated* only = nullptr;
  for (std::size_t i = 0; i < quantities.size(); ++i) {
    const TypedQuantity& q = quantities[i];
    if (o.values[i].empty()) continue;
    try {
      out.*q.value = parse_stated(o.values[i], q.dimension);
    } catch (const std::invalid_argument& e) {
      usage(fmt::format("--{} \"{}\": {}", q.key, o.values[i], e.what()));
    }
    if (!only || q.value == &TypedReading::mean) only = &*(out.*q.value);
  }
  if (!o.plus_minus.empty()) {
    if (!only) usage("--plus-minus needs the --mean that it is of");
    if (only->accuracy.stated())
      usage("--plus-minus beside a range or a ± that the value already has");
    const Dimension of =
        out.mean ? Dimension::current
                 : std::find_if(quantities.begin(), quantities.end(), [&](const TypedQuantity& q) {
                     return (out.*q.value).has_value();
                   })->dimension;
    try {
      only->accuracy = parse_accuracy(o.plus_minus, of);
    } catch (const std::invalid_argument& e) {
      usage(fmt::format("--plus-minus \"{}\": {}", o.plus_minus, e.what()));
    }
  }
  try {
    check_typed(out);
  } catch (const std::invalid_argument& e) {
    usage(e.what());
  }
  return out;
}

nlohmann::ordered_json to_json(const TypedReading& reading) {
  nlohmann::ordered_json out{{"state", reading.state}};
  for (const TypedQuantity& q : typed_quantities()) {
    const auto& stated = reading.*q.value;
    const std::string unit = q.dimension == Dimension::time      ? "_s"
                             : q.dimension == Dimension::voltage ? "_v"
                                                                 : "_a";
    const std::string key(q.key);
    if (!stated) continue;
    const double u = expand(accuracy_components(stated->accuracy, stated->value)).U;
    out[key + unit] = stated->value;
    out[key + "_u" + unit] =
        stated->accuracy.stated() ? nlohmann::ordered_json(u) : nlohmann::ordered_json(nullptr);
  }
  return out;
}

Outcome run(const Options& o, bool json) {
  const TypedReading reading = reading_of(o);
  const Conditions conditions = option_conditions(o.conditions);
  const bool fresh = !fs::exists(o.book);
  book::Book book = book::Book::open(o.book, book::Book::Mode::create);
  std::int64_t id = 0;
  std::size_t before = 0, after = 0;
  try {
    id = book::typed_capture(book, o.build, o.name, conditions);
    std::vector<TypedReading> readings = book::typed_readings(book, id);
    if (o.replace)
      std::erase_if(readings, [&](const TypedReading& r) { return r.state == o.state; });
    before = readings.size();
    readings.push_back(reading);
    book::put(book, {book::typed_note(id, readings)});
    for (const TypedReading& r : readings) after += r.state == o.state ? 1 : 0;
  } catch (...) {
    if (fresh) book::Book::remove_if_empty(std::move(book));
    throw;
  }
  Outcome out;
  const book::CaptureInfo capture = book.capture(id);
  auto entry = formats::to_json(capture);
  entry["warnings"] = nlohmann::ordered_json::array();
  out.document["captures"] = {entry};
  out.document["reading"] = to_json(reading);
  out.document["readings"] = before + 1;
  out.document["readings_of_state"] = after;
  out.document["warnings"] = nlohmann::ordered_json::array();
  if (!json)
    fmt::print("{}  {}  {} {} of {}\n", capture.id, capture.name, after,
               after == 1 ? "reading" : "readings", o.state);
  return out;
}

}  // namespace

Runner add_add(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book; created if missing")->required();
  app.add_option("--state", o->state, "the state that was read")->required();
  static constexpr std::array kHelp{
      "its mean current: \"47 mA\", \"47 mA +- 0.5 mA\", or a range, \"46 to 48 mA\"",
      "how long a visit takes, e.g. \"1.8 s\" or \"1.7 to 1.9 s\"", "its peak current",
      "the supply's voltage as read"};
  const auto quantities = typed_quantities();
  for (std::size_t i = 0; i < quantities.size(); ++i)
    app.add_option("--" + std::string(quantities[i].key), o->values[i], kHelp[i]);
  app.add_option("--plus-minus", o->plus_minus,
                 "± of the mean: a bound, \"0.5 mA\" or \"1 %\"; \"0.5 mA (k=2)\" is expanded");
  app.add_option("--build", o->build, "build under test");
  app.add_option("--name", o->name, "name of the capture that it goes into (\"BUILD typed\")");
  app.add_option("--condition", o->conditions, "KEY=VALUE");
  app.add_flag("--replace", o->replace, "in place of what was typed of the state before");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
