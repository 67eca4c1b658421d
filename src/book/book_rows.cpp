// SPDX-License-Identifier: GPL-3.0-or-later
// What stands in a book's rows.

#include "book/book.h"
#include "book/calibrations.h"
#include "book/derived.h"
#include "book/sqlite.h"
#include "book/text.h"
#include "core/error.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace kuvio::book {
namespace {

std::string name_in(const Statement& row, int column) {
  return shortened(row.text(column), kMostName);
}

}  // namespace

/// The clock and calibration of a channel, as far as the book has them.
void Book::read_adjustments(ChannelInfo& c) const {
  if (version() < 3) return;
  auto clock = db_->prepare("SELECT origin_s, rate, spread_s FROM clock WHERE channel=?1");
  clock.bind_all(c.id);
  if (clock.step()) {
    const ClockMap map{clock.real(0), clock.real(1), clock.real(2)};
    if (map.origin_s != 0 || map.rate != 1) c.clock = map;  // else it is the axis
    if (c.clock && (!std::isfinite(c.clock->origin_s) || std::fabs(c.clock->origin_s) > 1e9 ||
                    !(c.clock->rate > 0.5 && c.clock->rate < 2))) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "the clock of channel " + c.name + " makes no sense");
    }
  }
  auto calibration = db_->prepare("SELECT gain, offset, text FROM calibration WHERE channel=?1");
  calibration.bind_all(c.id);
  if (calibration.step()) {
    c.calibration = {calibration.real(0), calibration.real(1), name_in(calibration, 2)};
    if (!std::isfinite(c.calibration.gain) || c.calibration.gain == 0 ||
        !std::isfinite(c.calibration.offset)) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "the calibration of channel " + c.name + " makes no sense");
    }
  }
}

std::vector<SyncPoint> Book::sync_points(std::int64_t channel) const {
  std::vector<SyncPoint> out;
  if (version() < 3) return out;
  constexpr double kNone = std::numeric_limits<double>::infinity();
  auto rows = db_->prepare(
      "SELECT own_s, coalesce(earliest_s, -9e999), coalesce(latest_s, 9e999) FROM sync_point WHERE "
      "channel=?1 ORDER BY own_s");
  rows.bind_all(channel);
  while (rows.step()) {
    SyncPoint p{rows.real(0), rows.real(1), rows.real(2)};
    if (p.earliest_s < -1e300) p.earliest_s = -kNone;
    if (p.latest_s > 1e300) p.latest_s = kNone;
    out.push_back(p);
  }
  return out;
}

namespace {

/// Channels are distinguished by their names; of one name, the later ones get a number.
void number_equal_names(std::vector<ChannelInfo>& channels) {
  std::set<std::string> names;
  for (ChannelInfo& c : channels) {
    const std::string wanted = c.name;
    for (int number = 2; !names.insert(c.name).second; ++number)
      c.name = wanted + std::to_string(number);
  }
}

double on_axis(const ChannelInfo& c, double own_s) { return c.clock ? c.clock->at(own_s) : own_s; }

}  // namespace

void Book::read_segments(ChannelInfo& c) const {
  auto segments = db_->prepare(
      "SELECT start_tick, period_ticks, end_tick, samples FROM segment WHERE channel=?1 ORDER BY "
      "seq");
  segments.bind_all(c.id);
  std::int64_t last_end = 0;
  bool first = true;
  while (segments.step()) {
    const std::int64_t start = segments.integer(0), end = segments.integer(2);
    if (first) c.from_s = on_axis(c, c.time_base.seconds(start));
    if (!first && start > last_end) ++c.gaps;
    if (c.period_s == 0) c.period_s = c.time_base.seconds(segments.integer(1));
    c.to_s = on_axis(c, c.time_base.seconds(end));
    const std::int64_t samples = segments.integer(3);
    if (samples < 1 || samples > (std::int64_t{1} << 40)) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "a segment of channel " + c.name + " makes no sense; run kuvio-cli verify");
    }
    c.samples += samples;
    last_end = end;
    first = false;
  }
}

void Book::read_flags(ChannelInfo& c) const {
  // As Trace::from_s and to_s: what was asked of an input and was no data counts.
  auto flags = db_->prepare(
      "SELECT coalesce(sum(samples), 0), min(from_s), max(to_s) FROM flag_run WHERE channel=?1");
  flags.bind_all(c.id);
  if (flags.step() && !flags.is_null(1)) {
    c.flagged = flags.integer(0);
    const double from = on_axis(c, flags.real(1)), to = on_axis(c, flags.real(2));
    if (!std::isfinite(from) || !std::isfinite(to) || from > to) {
      throw Error(
          Failure::bad_data, "damaged book", path(),
          "a stretch without data of channel " + c.name + " makes no sense; run kuvio-cli verify");
    }
    c.from_s = c.samples == 0 ? from : std::min(c.from_s, from);
    c.to_s = c.samples == 0 ? to : std::max(c.to_s, to);
  }
}

std::vector<ChannelInfo> Book::recorded_channels(std::int64_t capture) const {
  std::vector<ChannelInfo> out;
  auto rows = db_->prepare(
      "SELECT id, name, quantity, unit, kind, encoding, tick_num, tick_den, input, accuracy FROM "
      "channel "
      "WHERE capture=?1 ORDER BY id");
  rows.bind_all(capture);
  while (rows.step()) {
    if (out.size() == kMostChannels) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  fmt::format("capture {} has more than {} channels", capture, kMostChannels));
    }
    ChannelInfo c;
    c.id = rows.integer(0);
    c.name = name_in(rows, 1);
    c.quantity = quantity_of(rows.text(2));
    c.unit = name_in(rows, 3);
    c.kind = rows.text(4) == "instant" ? SampleKind::instant : SampleKind::averaged;
    c.encoding = rows.text(5) == "f8" ? Encoding::f8 : Encoding::f4;
    c.time_base = {rows.integer(6), rows.integer(7)};
    if (c.time_base.num <= 0 || c.time_base.den <= 0) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  "channel " + c.name + " has no time base");
    }
    c.input = name_in(rows, 8);
    c.accuracy = name_in(rows, 9);
    read_adjustments(c);
    read_segments(c);
    read_flags(c);
    out.push_back(std::move(c));
  }
  number_equal_names(out);
  return out;
}

std::vector<ChannelInfo> Book::read_channels(std::int64_t capture) const {
  std::vector<ChannelInfo> out = recorded_channels(capture);
  for (ChannelInfo& c : derived_channels(*this, capture)) {
    if (out.size() < kMostChannels) out.push_back(std::move(c));
  }
  number_equal_names(out);
  calibrate_as_noted(capture, out);
  return out;
}

void Book::calibrate_as_noted(std::int64_t capture, std::vector<ChannelInfo>& channels) const {
  for (const auto& [name, calibration] : calibrations(*this, capture)) {
    const auto at =
        std::find_if(channels.begin(), channels.end(),
                     [&, &wanted = name](const ChannelInfo& c) { return c.name == wanted; });
    if (at == channels.end()) continue;
    try {
      calibrate(*at, calibration);
    } catch (const std::invalid_argument& e) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  fmt::format("the calibration of channel {} does not fit: {}", name, e.what()));
    }
  }
}

/// Conditions that people have put right since: what was recorded stays as it is, and what counts
/// stands in notes. An empty one takes the recorded one away.
void Book::describe_as_noted(CaptureInfo& out) const {
  if (version() < 2) return;
  auto notes = db_->prepare(
      "SELECT substr(key, 11), value FROM note WHERE capture=?1 AND key>'condition:' AND "
      "key<'condition;' ORDER BY key LIMIT 1000");
  notes.bind_all(out.id);
  while (notes.step()) {
    const std::string key = name_in(notes, 0), value = name_in(notes, 1);
    if (value.empty()) {
      out.conditions.erase(key);
    } else if (out.conditions.size() < kMostConditions || out.conditions.count(key) > 0) {
      out.conditions[key] = value;
    }
  }
}

std::set<std::int64_t> Book::deleted() const {
  std::set<std::int64_t> out;
  if (version() < 2) return out;
  try {
    auto rows = db_->prepare("SELECT capture FROM note WHERE key='deleted' AND capture>0");
    while (rows.step()) out.insert(rows.integer(0));
  } catch (const Error& e) {  // damaged notes lock no capture away
    if (e.failure() != Failure::bad_data) throw;
  }
  return out;
}

std::set<std::int64_t> Book::hidden() const {
  std::set<std::int64_t> out = deleted();
  try {
    // People may call a condition of theirs the same.
    auto rows = db_->prepare(
        "SELECT d.capture FROM condition d JOIN capture c ON c.id=d.capture WHERE "
        "d.key='derived_of' AND c.end_reason='derived'");
    while (rows.step()) out.insert(rows.integer(0));
  } catch (const Error& e) {  // damaged conditions lock no capture away
    if (e.failure() != Failure::bad_data) throw;
  }
  return out;
}

CaptureInfo Book::read_capture(const Statement& row) const {
  CaptureInfo out;
  read_capture_rows(row, out);
  return out;
}

void Book::read_capture_rows(const Statement& row, CaptureInfo& out) const {
  out.id = row.integer(0);
  out.name = name_in(row, 1);
  out.build = name_in(row, 2);
  out.started_utc = name_in(row, 3);
  out.end_reason = shortened(row.text(5), kMostLine);
  const std::string phase = row.text(4);
  out.recording = phase == "recording" && is_writing(row.text(6), out.id);
  out.interrupted = phase == "interrupted" || (phase == "recording" && !out.recording);
  if (out.interrupted && out.end_reason.empty())
    out.end_reason = "the recorder exited unexpectedly";
  out.channels = read_channels(out.id);
  auto conditions = db_->prepare("SELECT key, value FROM condition WHERE capture=?1");
  conditions.bind_all(out.id);
  while (out.conditions.size() < kMostConditions && conditions.step())
    out.conditions[name_in(conditions, 0)] = name_in(conditions, 1);
  describe_as_noted(out);
  auto split = db_->prepare(
      "SELECT (SELECT channel FROM split WHERE capture=?1 AND (?2='' OR CAST(id AS TEXT)=?2) "
      "ORDER BY id DESC LIMIT 1), (SELECT count(*) FROM log_line WHERE capture=?1)");
  split.bind_all(out.id, note(out.id, "split").value_or(""));
  if (split.step()) {
    for (const ChannelInfo& c : out.channels) {
      if (c.id == split.integer(0) && c.quantity == Quantity::current) out.split_channel = c.id;
    }
    out.split = out.split_channel != 0;
    out.log_lines = split.integer(1);
  }
  out.typed = out.channels.empty() && out.end_reason == "typed";
  out.split |= out.typed;
}

namespace {
constexpr const char* kCaptureOfId =
    "SELECT id, name, build, started_utc, phase, end_reason, owner FROM capture WHERE "
    "phase<>'importing' AND id=?1";
}

/// Runs a query for each capture by its id. Where the row cannot be read, which captures() says,
/// there is none.
template <typename Take>
void Book::each_capture(const char* sql, const Take& take) const {
  auto ids = db_->prepare("SELECT id FROM capture WHERE phase<>'importing' ORDER BY id");
  const std::set<std::int64_t> gone = hidden();
  while (ids.step()) {
    if (gone.count(ids.integer(0)) > 0) continue;
    auto row = db_->prepare(sql);
    row.bind_all(ids.integer(0));
    bool read = false;
    try {
      read = row.step();
    } catch (const Error& e) {
      if (e.failure() != Failure::bad_data) throw;
    }
    take(ids.integer(0), read ? &row : nullptr);
  }
}

std::vector<CaptureInfo> Book::captures() const {
  std::vector<CaptureInfo> out;
  auto ids = db_->prepare("SELECT id FROM capture WHERE phase<>'importing' ORDER BY id");
  const std::set<std::int64_t> gone = hidden();
  while (ids.step()) {
    if (gone.count(ids.integer(0)) > 0) continue;
    CaptureInfo& c = out.emplace_back();
    c.id = ids.integer(0);
    try {
      auto row = db_->prepare(kCaptureOfId);
      row.bind_all(c.id);
      if (row.step()) read_capture_rows(row, c);
    } catch (const Error& e) {
      if (e.failure() != Failure::bad_data) throw;
      if (c.name.empty()) c.name = fmt::format("capture {}", c.id);
      c.channels.clear();
      c.damage = e.why();
    }
  }
  return out;
}

CaptureInfo Book::capture(std::int64_t id) const {
  auto rows = db_->prepare(kCaptureOfId);
  rows.bind_all(id);
  if (!rows.step()) {
    throw Error(Failure::bad_data, "no such capture", path(),
                "there is no capture " + std::to_string(id));
  }
  return read_capture(rows);
}

CaptureInfo Book::find(const std::string& id_or_name) const {
  std::vector<std::int64_t> found;
  each_capture("SELECT name FROM capture WHERE id=?1", [&](std::int64_t id, const Statement* row) {
    if (std::to_string(id) == id_or_name || (row && name_in(*row, 0) == id_or_name))
      found.push_back(id);
  });
  if (found.empty()) {
    throw Error(Failure::bad_data, "no such capture", path(),
                "there is no capture \"" + id_or_name + "\"; kuvio-cli list shows them");
  }
  if (found.size() > 1) {
    std::string ids;
    for (const auto id : found) ids += (ids.empty() ? "" : ", ") + std::to_string(id);
    throw Error(
        Failure::usage, "ambiguous capture", path(),
        "\"" + id_or_name + "\" may be any of the captures " + ids + "; name one by its id");
  }
  return capture(found.front());
}

std::vector<std::string> Book::builds() const {
  std::vector<std::string> out;
  std::set<std::string> seen;
  each_capture("SELECT build FROM capture WHERE id=?1", [&](std::int64_t, const Statement* row) {
    const std::string build = row ? name_in(*row, 0) : "";
    if (!build.empty() && seen.insert(build).second) out.push_back(build);
  });
  return out;
}

std::vector<LogLine> Book::log(std::int64_t capture) const {
  std::vector<LogLine> out;
  auto rows = db_->prepare(
      "SELECT time_s, direction, text FROM log_line WHERE capture=?1 ORDER BY time_s, id");
  rows.bind_all(capture);
  while (rows.step())
    out.push_back({rows.real(0), rows.text(1) == "sent", shortened(rows.text(2), kMostLine)});
  return out;
}

std::vector<Event> Book::events(std::int64_t capture) const {
  std::vector<Event> out;
  auto rows = db_->prepare(
      "SELECT kind, earliest_s, latest_s, text FROM event WHERE capture=?1 ORDER BY id");
  rows.bind_all(capture);
  while (rows.step()) {
    out.push_back(
        {event_kind(rows.text(0)), rows.real(1), rows.real(2), shortened(rows.text(3), kMostLine)});
  }
  return out;
}

std::vector<OutputSwitch> Book::output_switches(std::int64_t capture) const {
  std::vector<OutputSwitch> out;
  for (const Event& e : events(capture)) {
    if (e.kind == EventKind::output_on || e.kind == EventKind::output_off ||
        e.kind == EventKind::output_tripped) {
      out.push_back({e.kind == EventKind::output_on, e.earliest_s, e.latest_s});
    }
  }
  return out;
}

std::optional<std::string> Book::note(std::int64_t capture, const std::string& key) const {
  if (version() < 2) return std::nullopt;
  auto row = db_->prepare("SELECT value FROM note WHERE capture=?1 AND key=?2");
  row.bind_all(capture, key);
  if (!row.step()) return std::nullopt;
  return shortened(row.text(0), kMostText);
}

std::vector<Note> Book::notes() const {
  std::vector<Note> out;
  if (version() < 2) return out;
  auto rows = db_->prepare("SELECT capture, key, value FROM note ORDER BY capture, key");
  while (rows.step()) {
    out.push_back({rows.integer(0), name_in(rows, 1), shortened(rows.text(2), kMostText)});
  }
  return out;
}

std::optional<StoredSplit> Book::split(std::int64_t capture) const {
  const std::optional<std::string> chosen = note(capture, "split");
  auto row = db_->prepare(fmt::format(
      "SELECT id, channel, recipe_name, recipe_text, {} FROM split WHERE capture=?1 AND "
      "(?2='' OR CAST(id AS TEXT)=?2) ORDER BY id DESC LIMIT 1",
      version() >= 5 ? "rules" : "0"));
  row.bind_all(capture, chosen.value_or(""));
  if (!row.step()) return std::nullopt;
  StoredSplit out;
  out.id = row.integer(0);
  out.channel = row.integer(1);
  out.recipe_name = name_in(row, 2);
  out.recipe_text = shortened(row.text(3), kMostText);
  out.rules = row.integer(4);
  auto visits = db_->prepare(
      version() >= 5
          ? "SELECT state, from_s, to_s, whole, cell_from_s, cell_to_s, narrow, continues "
            "FROM visit WHERE split=?1 ORDER BY ordinal"
          : "SELECT state, from_s, to_s, whole, 0.0, 0.0, 0, 0 FROM visit WHERE split=?1 "
            "ORDER BY ordinal");
  visits.bind_all(out.id);
  while (visits.step()) {
    Visit v{name_in(visits, 0), visits.real(1), visits.real(2), visits.integer(3) != 0};
    v.begins = {visits.real(4), visits.real(5)};
    v.narrow = visits.integer(6) != 0;
    v.continues = visits.integer(7) != 0;
    Visit* before = out.visits.empty() ? nullptr : &out.visits.back();
    const bool follows = !before || v.from_s == before->to_s;
    const bool holds =
        v.begins.empty() || (before && v.begins.from_s <= v.from_s && v.from_s <= v.begins.to_s);
    if (!(v.to_s > v.from_s) || !follows || !holds) {
      throw Error(Failure::bad_data, "damaged book", path(),
                  fmt::format("visit {} of capture {} does not follow the one before",
                              out.visits.size() + 1, capture));
    }
    if (before) before->ends = v.begins;
    out.visits.push_back(std::move(v));
  }
  return out;
}

}  // namespace kuvio::book
