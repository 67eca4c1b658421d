// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/notes.h"

#include "book/checksums.h"
#include "book/sqlite.h"
#include "book/text.h"
#include "core/error.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::book {
namespace {

using nlohmann::json;

[[noreturn]] void damaged(const Book& book, const std::string& what) {
  throw Error(Failure::bad_data, "damaged book", book.path(), what);
}

json parsed(const Book& book, const Note& note) {
  json out = json::parse(*note.value, nullptr, false);
  if (out.is_discarded()) damaged(book, "the note \"" + note.key + "\" makes no sense");
  return out;
}

bool is_capture_column(const Note& note) {
  return note.capture > 0 && (note.key == "name" || note.key == "build");
}

Note now(const Book& book, const Note& place) {
  if (!is_capture_column(place))
    return {place.capture, place.key, book.note(place.capture, place.key)};
  const CaptureInfo info = book.capture(place.capture);
  return {place.capture, place.key, place.key == "name" ? info.name : info.build};
}

void write(const Book& book, const Note& note) {
  const Database& db = book.database();
  if (note.value && note.value->size() > kMostText) {
    throw Error(Failure::bad_data, "too long to keep", "\"" + note.key + "\"",
                "a book takes texts of up to " + std::to_string(kMostText >> 20) +
                    " MB; nothing was changed");
  }
  if (is_capture_column(note)) {
    if (!note.value) return;
    db.prepare("UPDATE capture SET " + note.key + "=?2 WHERE id=?1")
        .bind_all(note.capture, shortened(printable(*note.value), kMostName))
        .run();
    write_checksum(db, {"names", note.capture});
  } else if (note.value) {
    db.prepare("INSERT OR REPLACE INTO note(capture, key, value) VALUES(?1, ?2, ?3)")
        .bind_all(note.capture, note.key, *note.value)
        .run();
    write_checksum(db, {"note:" + note.key, note.capture});
  } else {
    db.prepare("DELETE FROM note WHERE capture=?1 AND key=?2")
        .bind_all(note.capture, note.key)
        .run();
    forget_checksum(db, {"note:" + note.key, note.capture});
  }
}

}  // namespace

std::vector<Change> put(const Book& book, const ChangeRequest& change) {
  std::vector<Change> out = change.made;
  const auto note_down = [&](const Note& note) {
    out.push_back({now(book, note), note});
    write(book, note);
  };
  Transaction transaction(book.database());
  for (const Note& note : change.notes) note_down(note);
  for (const NewSplit& made : change.splits) {
    // What counted is noted first, so that it counts again once this is undone.
    const auto before = book.split(made.capture);
    const Note stood{made.capture, "split", before ? std::to_string(before->id) : "0"};
    const Note counts{made.capture, "split",
                      std::to_string(book.add_split(made.capture, made.split))};
    write(book, counts);
    out.push_back({stood, counts});
  }
  transaction.commit();
  return out;
}

Note condition_note(std::int64_t capture, const std::string& key,
                    const std::optional<std::string>& value) {
  return {capture, "condition:" + key, value.value_or("")};
}

Note deleted_note(std::int64_t capture, bool deleted) {
  return {capture, "deleted", deleted ? std::optional<std::string>("1") : std::nullopt};
}

std::string reference_among(const std::vector<std::string>& builds, const std::string& chosen) {
  if (std::find(builds.begin(), builds.end(), chosen) != builds.end()) return chosen;
  return builds.empty() ? "" : builds.front();
}

std::vector<Edit> edits(const Book& book, std::int64_t capture) {
  const Note note{capture, "edits", book.note(capture, "edits")};
  std::vector<Edit> out;
  if (!note.value) return out;
  const json list = parsed(book, note);
  try {
    for (const json& item : list) {
      Edit e;
      e.kind = edit_kind(item.at("do").get<std::string>());
      e.at_s = item.at("at_s").get<double>();
      e.to_s = item.value("to_s", 0.0);
      e.state = shortened(item.value("state", ""), kMostName);
      e.before = shortened(item.value("before", ""), kMostName);
      e.after = shortened(item.value("after", ""), kMostName);
      if (!std::isfinite(e.at_s) || !std::isfinite(e.to_s)) throw std::invalid_argument("a time");
      out.push_back(std::move(e));
    }
  } catch (const std::exception&) {
    damaged(book, "the manual edits of capture " + std::to_string(capture) + " make no sense");
  }
  return out;
}

Note edits_note(std::int64_t capture, const std::vector<Edit>& edits) {
  if (edits.empty()) return {capture, "edits", std::nullopt};
  json list = json::array();
  for (const Edit& e : edits) {
    json item{{"do", to_string(e.kind)}, {"at_s", e.at_s}};
    if (e.to_s != 0) item["to_s"] = e.to_s;
    if (!e.state.empty()) item["state"] = e.state;
    if (!e.before.empty()) item["before"] = e.before;
    if (!e.after.empty()) item["after"] = e.after;
    list.push_back(std::move(item));
  }
  return {capture, "edits", list.dump()};
}

LinedUp lined_up(const Book& book, std::int64_t capture) {
  const auto text = book.note(capture, "lined_up");
  const json kept = text ? json::parse(*text, nullptr, false) : json();
  if (!kept.is_object() || !kept.contains("offset_s") || !kept["offset_s"].is_number()) return {};
  LinedUp out{kept["offset_s"].get<double>(), ""};
  if (!std::isfinite(out.offset_s) || std::fabs(out.offset_s) > 1e9) return {};
  if (kept.contains("how") && kept["how"].is_string()) out.how = kept["how"].get<std::string>();
  return out;
}

Note lined_up_note(std::int64_t capture, const LinedUp& place) {
  if (place == LinedUp{}) return {capture, "lined_up", std::nullopt};
  return {capture, "lined_up", json{{"offset_s", place.offset_s}, {"how", place.how}}.dump()};
}

double edit_reach(const CaptureInfo& capture, std::int64_t channel) {
  for (const ChannelInfo& c : capture.channels) {
    if (c.id != channel) continue;
    if (c.period_s > 0) return 5 * c.period_s;
    if (c.samples > 1) return 5 * (c.to_s - c.from_s) / static_cast<double>(c.samples - 1);
  }
  return 1e-9;
}

std::optional<EditedSplit> edited_split(const Book& book, const CaptureInfo& capture) {
  auto split = book.split(capture.id);
  if (!split) return std::nullopt;
  // What they rest on may be no current any more: without its shunt it is a voltage.
  const bool current =
      std::none_of(capture.channels.begin(), capture.channels.end(), [&](const ChannelInfo& c) {
        return c.id == split->channel && c.quantity != Quantity::current;
      });
  if (!current) return std::nullopt;
  EditedSplit out{std::move(*split), 0, {}};
  const std::vector<Edit> list = edits(book, capture.id);
  out.edits = list.size();
  if (list.empty()) return out;
  EditResult edited =
      apply_edits(std::move(out.split.visits), list, edit_reach(capture, out.split.channel));
  out.split.visits = std::move(edited.visits);
  out.conflicts = std::move(edited.conflicts);
  return out;
}

}  // namespace kuvio::book
