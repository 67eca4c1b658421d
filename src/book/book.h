// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/encoding.h"
#include "core/clock_map.h"
#include "core/conditions.h"
#include "core/event.h"
#include "core/quantity.h"
#include "core/sample.h"
#include "core/time_base.h"
#include "core/visit.h"

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace kuvio::book {

class Database;
class ReadCache;
class Statement;

/// From what an input delivered to what is meant: value = gain * raw + offset + slope * t, t in s
/// on the capture's axis. Samples are stored as they came.
struct Calibration {
  double gain = 1, offset = 0;  ///< offset in the channel's unit
  std::string text;             ///< where it comes from, for people
  double slope = 0;             ///< of a zero that drifted (unit/s)

  bool identity() const { return gain == 1 && offset == 0 && slope == 0; }
  bool operator==(const Calibration&) const = default;
};

/// A channel as the book knows it.
struct ChannelInfo {
  std::int64_t id = 0;
  std::string name;
  Quantity quantity = Quantity::current;
  std::string unit = "A";
  SampleKind kind = SampleKind::averaged;
  Encoding encoding = Encoding::f4;
  TimeBase time_base;
  std::string input;     ///< what delivered it
  std::string accuracy;  ///< accuracy statement as written, or empty
  /// How the input's own time lies on the capture's axis; nothing: it is the capture's axis.
  /// `time_base` is the input's own; a ChannelTrace is on the capture's.
  std::optional<ClockMap> clock;
  Calibration calibration;  ///< applied on reading
  std::string derived;      ///< of what it is made, for people; "": it was recorded
  /// As it was recorded, where people have put it right since (book/calibrations.h).
  std::shared_ptr<const ChannelInfo> recorded;
  /// What its values are made of, where its input states it; helps to pack them.
  std::optional<Lattice> lattice;
  // Figures of what is recorded so far.
  std::int64_t samples = 0, gaps = 0, flagged = 0;
  double from_s = 0, to_s = 0;  ///< flagged samples at its ends included
  double period_s = 0;  ///< of the first uniform segment; 0 when samples have times of their own

  bool sampled() const { return samples > 0 || to_s > from_s; }
};

struct CaptureInfo {
  std::int64_t id = 0;
  std::string name, build, started_utc, end_reason;
  bool recording = false;          ///< its writer is alive
  bool interrupted = false;        ///< an input or the writer died
  bool split = false;              ///< or typed: either way its states have figures
  std::int64_t split_channel = 0;  ///< the current that its states rest on; 0: not split
  bool typed = false;              ///< readings by people, and no channels (book/typed.h)
  std::string damage;              ///< why its channels is not known; empty: they can
  std::vector<ChannelInfo> channels;
  Conditions conditions;
  std::int64_t log_lines = 0;

  double from_s() const;
  double to_s() const;
  double duration_s() const { return to_s() - from_s(); }
  const ChannelInfo* channel(const std::string& channel_name) const;
};

struct LogLine {
  double time_s = 0;
  bool sent = false;  ///< to the device
  std::string text;   ///< UTF-8; bytes that are not, and control characters, as \xNN
};

struct StoredSplit {
  std::int64_t id = 0;
  std::int64_t channel = 0;
  std::string recipe_name, recipe_text;
  Visits visits;
  std::int64_t rules = 0;  ///< by which its edges were found (kSplitRules: inside samples)
};

/// A value that people put into a book: of a capture, or (capture 0) of the book as a whole. See
/// book/notes.h.
struct Note {
  std::int64_t capture = 0;
  std::string key;
  std::optional<std::string> value;  ///< nothing: not there

  bool operator==(const Note&) const = default;
};

/// One open book. A connection belongs to the thread that opened it; open one for each thread.
/// Readers never wait for the writer, nor the writer for them.
class Book {
public:
  enum class Mode { read, write, create };

  /// Opens a book. `create` makes it when the file is missing, whole or not at all; of several who
  /// make the same one, one does and the others use it. Opening to write marks captures
  /// whose writer has died as interrupted and purges half-done imports. Throws Error: no_input (no
  /// such file), bad_data (not a book, unknown version, altered schema), io.
  static Book open(const std::string& given, Mode mode);
  Book(Book&& other) noexcept;
  Book& operator=(Book&& other) noexcept;
  ~Book();

  /// One that is damaged is among them, with `damage`, and locks none of the others away. Those
  /// that people have deleted are not, until they are put back. Conditions are as people have put
  /// them right.
  std::vector<CaptureInfo> captures() const;
  /// Captures that people have deleted: with a note "deleted", all they hold still there.
  std::set<std::int64_t> deleted() const;
  /// Those, and captures that only hold the samples of derived channels.
  std::set<std::int64_t> hidden() const;
  /// A capture's channels as they were recorded: none derived, none put right.
  std::vector<ChannelInfo> recorded_channels(std::int64_t capture) const;
  /// Error bad_data where there is none, or it is damaged.
  CaptureInfo capture(std::int64_t id) const;
  /// By id or by unique name; Error bad_data (usage when ambiguous) otherwise.
  CaptureInfo find(const std::string& id_or_name) const;
  std::vector<std::string> builds() const;

  std::vector<LogLine> log(std::int64_t capture) const;
  std::vector<Event> events(std::int64_t capture) const;
  std::vector<OutputSwitch> output_switches(std::int64_t capture) const;

  /// The split of a capture that counts, without hand edits: the one its note "split" names, else
  /// the newest. Nothing when there is none, or the note names 0.
  std::optional<StoredSplit> split(std::int64_t capture) const;
  /// Saves a split and gives its id; it counts from now on. One transaction.
  std::int64_t save_split(std::int64_t capture, const StoredSplit& split) const;
  /// The same within a transaction of the caller's.
  std::int64_t add_split(std::int64_t capture, const StoredSplit& split) const;

  /// Moments at which a channel's own clock was compared with the recorder's (s since the recorder
  /// began), as far as they decide its map.
  std::vector<SyncPoint> sync_points(std::int64_t channel) const;

  std::optional<std::string> note(std::int64_t capture, const std::string& key) const;
  std::vector<Note> notes() const;

  /// Marks a capture whose writer could not close it; quietly does nothing when that cannot be
  /// written either (then the next who opens the book does it).
  void mark_interrupted(std::int64_t capture, const std::string& reason) const;
  /// Removes a capture with all it holds.
  void discard(std::int64_t capture) const;

  /// Removes a book's file if nothing was ever put into it and nobody else has it open.
  static bool remove_if_empty(Book&& book);

  /// Changes whenever another connection has written.
  std::int64_t data_version() const;
  const std::string& path() const;
  const Database& database() const { return *db_; }
  /// Whether it was not closed by whoever wrote it last, and its log is not here: what came after
  /// some moment is missing. For people, "" where it is whole.
  const std::string& unclean() const { return unclean_; }
  /// Of its schema. A book that is only read may be of an older one.
  std::int64_t version() const;
  /// What its traces have read of it.
  ReadCache& cache() const { return *cache_; }

private:
  explicit Book(std::unique_ptr<Database> db);
  void require_schema() const;
  void report_unclean();
  void keep_unclean() const;
  void migrate() const;
  void settle_dead_writers() const;
  bool is_writing(const std::string& owner, std::int64_t capture) const;
  void erase(std::int64_t capture) const;
  void read_adjustments(ChannelInfo& c) const;
  void calibrate_as_noted(std::int64_t capture, std::vector<ChannelInfo>& channels) const;
  template <typename Take>
  void each_capture(const char* sql, const Take& take) const;
  CaptureInfo read_capture(const Statement& row) const;
  void read_capture_rows(const Statement& row, CaptureInfo& out) const;
  void describe_as_noted(CaptureInfo& out) const;
  std::vector<ChannelInfo> read_channels(std::int64_t capture) const;
  void read_segments(ChannelInfo& c) const;
  void read_flags(ChannelInfo& c) const;

  std::unique_ptr<Database> db_;
  std::string unclean_;
  std::unique_ptr<ReadCache> cache_;
};

/// Seconds since the epoch as "2026-05-04T14:02:31.250Z".
std::string utc_now();

}  // namespace kuvio::book
