// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/derived.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "book/notes.h"
#include "book/sqlite.h"
#include "book/text.h"
#include "book/whole_capture.h"
#include "core/accuracy.h"
#include "core/error.h"
#include "core/measure.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <memory>
#include <stdexcept>

namespace kuvio::book {
namespace {

using nlohmann::json;

constexpr const char* kPrefix = "derived:";
constexpr std::size_t kMostOf = 16;

struct Kept {
  Derivation derivation;
  std::int64_t samples_in = 0;  // the capture that holds them
};

Kept kept_of(const json& from) {
  Kept out;
  out.derivation.by = derived_by(from.at("by").get<std::string>());
  out.derivation.of = from.at("of").get<std::vector<std::string>>();
  out.derivation.window_s = from.value("window_s", 0.0);
  out.derivation.behind_v = from.value("behind_v", 0.0);
  out.derivation.ahead_v = from.value("ahead_v", 0.0);
  for (const json& point : from.value("efficiency", json::array()))
    out.derivation.efficiency.emplace_back(point.at(0).get<double>(), point.at(1).get<double>());
  out.samples_in = from.at("capture").get<std::int64_t>();
  if (out.derivation.of.empty() || out.derivation.of.size() > kMostOf ||
      !std::isfinite(out.derivation.window_s))
    throw std::invalid_argument("its channels");
  return out;
}

std::map<std::string, Kept> kept(const Book& book, std::int64_t capture) {
  std::map<std::string, Kept> out;
  if (book.version() < 2) return out;
  auto notes = book.database().prepare(
      "SELECT substr(key, 9), value FROM note WHERE capture=?1 AND key>'derived:' AND "
      "key<'derived;' ORDER BY key LIMIT 1000");
  notes.bind_all(capture);
  while (notes.step()) {
    const std::string name = shortened(notes.text(0), kMostName);
    try {
      const json value = json::parse(notes.text(1), nullptr, false);
      if (!value.is_object()) throw std::invalid_argument("no object");
      out[name] = kept_of(value);
    } catch (const std::exception&) {
      throw Error(
          Failure::bad_data, "damaged book", book.path(),
          fmt::format("the derived channel {} of capture {} makes no sense", name, capture));
    }
  }
  return out;
}

std::string in_words(const Derivation& d) {
  std::string out(key_of(d.by));
  for (std::size_t i = 0; i < d.of.size(); ++i) out += (i == 0 ? " of " : ", ") + d.of[i];
  if (d.window_s > 0) out += fmt::format(" over {:g} s", d.window_s);
  if (d.by == DerivedBy::referred)
    out += fmt::format(" from {:g} V to {:g} V", d.behind_v, d.ahead_v);
  return out;
}

/// What is stated of a channel made of others, at their means, as inputs that know nothing of each
/// other (JCGM 100:2008, 5.1.2; k = 2). Of a sum or difference as an offset; of a product or ratio
/// relative terms as a gain, and each offset times its sensitivity as an offset. Of what keeps its
/// unit it is kept; of others nothing is stated.
std::string accuracy_of(const CaptureInfo& capture, const Derivation& d,
                        const std::vector<ChannelInfo>& of,
                        const std::vector<std::unique_ptr<ChannelTrace>>& traces, Quantity result) {
  if (d.by == DerivedBy::rolling_mean) return of[0].accuracy;
  const bool adds = d.by == DerivedBy::sum || d.by == DerivedBy::difference,
             multiplies = d.by == DerivedBy::product || d.by == DerivedBy::ratio;
  if ((!adds && !multiplies) || result == Quantity::other) return "";
  std::vector<double> means;
  for (const auto& trace : traces) means.push_back(measure(*trace).mean().value_or(0));
  double gains = 0, offsets = 0;
  for (std::size_t i = 0; i < of.size(); ++i) {
    const Accuracy own = basis_of(capture, of[i]).accuracy;
    if (!own.stated()) return "";
    const double gain = accuracy_components(own, 1)[0].u, offset = accuracy_components(own, 1)[1].u;
    if (adds) {
      offsets += gain * gain * means[i] * means[i] + offset * offset;
      continue;
    }
    const double other = means[1 - i];
    const double sensitivity = d.by == DerivedBy::product ? other
                               : i == 0                   ? 1 / other
                                                          : means[0] / (means[1] * means[1]);
    gains += gain * gain;
    offsets += offset * offset * sensitivity * sensitivity;
  }
  if (!std::isfinite(gains) || !std::isfinite(offsets)) return "";
  return to_string(Accuracy{2 * std::sqrt(gains), 2 * std::sqrt(offsets), true},
                   info(result).dimension);
}

}  // namespace

std::map<std::string, Derivation> derivations(const Book& book, std::int64_t capture) {
  std::map<std::string, Derivation> out;
  for (auto& [name, one] : kept(book, capture)) out[name] = one.derivation;
  return out;
}

Note no_derived_note(std::int64_t capture, const std::string& name) {
  return {capture, kPrefix + name, std::nullopt};
}

Note make_derived(Book& book, const CaptureInfo& capture, const std::string& name,
                  const Derivation& derivation, const std::stop_token& stop) {
  std::vector<ChannelInfo> of;
  std::vector<DerivedUnit> units;
  std::vector<std::unique_ptr<ChannelTrace>> traces;
  std::vector<const Trace*> plain;
  for (const std::string& one : derivation.of) {
    of.push_back(choose_channel(capture, one, book.path()));
    units.push_back({of.back().quantity, of.back().unit});
    traces.push_back(std::make_unique<ChannelTrace>(book, of.back()));
    plain.push_back(traces.back().get());
  }
  ChannelInfo channel;
  channel.name = name;
  try {
    const DerivedUnit unit = derived_unit(derivation, units);
    channel.quantity = unit.quantity;
    channel.unit = unit.unit;
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::bad_data, "cannot be derived", "capture " + capture.name,
                fmt::format("{}: {}", in_words(derivation), e.what()));
  }
  const DerivedForm form = derived_form(derivation, plain);
  channel.kind = form.kind;
  channel.time_base = form.time_base;
  channel.encoding = Encoding::f8;
  channel.input = in_words(derivation);
  channel.accuracy = accuracy_of(capture, derivation, of, traces, channel.quantity);

  WholeCapture whole(
      book, {name + " of " + capture.name, "", {{"derived_of", std::to_string(capture.id)}}, true},
      {channel});
  constexpr std::int64_t kFlush = 1 << 18;
  std::int64_t made = 0, next_flush = kFlush;
  derive(derivation, plain, [&](const DerivedPiece& piece) {
    if (stop.stop_requested())
      throw Error(Failure::io, "cancelled", "capture " + capture.name, "nothing was changed");
    if (piece.period > 0) {
      whole->append(0, piece.start, piece.period, piece.values);
    } else {
      whole->append_times(0, piece.times, piece.values, piece.end, piece.begins);
    }
    made += static_cast<std::int64_t>(piece.values.size());
    if (made < next_flush) return;
    whole->flush();
    next_flush = made + kFlush;
  });
  if (made == 0)
    throw Error(Failure::bad_data, "cannot be derived", "capture " + capture.name,
                in_words(derivation) + ": they have no samples at the same time");
  for (const FlagRun& run : derived_flags(plain)) whole->flag(0, run);
  whole.finish("derived");
  json value{{"by", key_of(derivation.by)}, {"of", derivation.of}, {"capture", whole.id()}};
  if (derivation.window_s > 0) value["window_s"] = derivation.window_s;
  if (derivation.by == DerivedBy::referred) {
    value["behind_v"] = derivation.behind_v;
    value["ahead_v"] = derivation.ahead_v;
    value["efficiency"] = derivation.efficiency;
  }
  return {capture.id, kPrefix + name, value.dump()};
}

std::vector<std::string> make_again(Book& book, std::int64_t capture, std::set<std::string> changed,
                                    const std::stop_token& stop,
                                    const std::function<void(const Note&)>& keep) {
  std::vector<std::string> out;
  // What is made of what was made follows it; nothing can be made of itself.
  for (bool any = true; any;) {
    any = false;
    for (const auto& [name, derivation] : derivations(book, capture)) {
      const auto& of = derivation.of;
      const bool stale = changed.count(name) == 0 &&
                         std::any_of(of.begin(), of.end(),
                                     [&](const std::string& o) { return changed.count(o) > 0; });
      if (!stale) continue;
      const Note made = make_derived(book, book.capture(capture), name, derivation, stop);
      if (keep) {
        keep(made);
      } else {
        put(book, {made});
      }
      changed.insert(name);
      out.push_back(name);
      any = true;
    }
  }
  return out;
}

std::vector<ChannelInfo> derived_channels(const Book& book, std::int64_t capture) {
  std::vector<ChannelInfo> out;
  for (const auto& [name, one] : kept(book, capture)) {
    auto row = book.database().prepare(
        "SELECT 1 FROM capture c JOIN condition d ON d.capture=c.id AND d.key='derived_of' WHERE "
        "c.id=?1 AND c.phase='done' AND c.end_reason='derived' AND d.value=?2");
    row.bind_all(one.samples_in, std::to_string(capture));
    // As recorded: a book that says a channel is made of itself is not followed.
    std::vector<ChannelInfo> made;
    if (row.step()) made = book.recorded_channels(one.samples_in);
    if (made.size() != 1)
      throw Error(Failure::bad_data, "damaged book", book.path(),
                  fmt::format("the derived channel {} has no samples", name));
    out.push_back(std::move(made.front()));
    out.back().name = name;
    out.back().derived = in_words(one.derivation);
  }
  return out;
}

}  // namespace kuvio::book
