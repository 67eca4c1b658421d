// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "book/chunk_sealer.h"
#include "book/sqlite.h"
#include "book/written_here.h"

#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace kuvio::book {

struct CaptureSpec {
  std::string name, build;
  Conditions conditions;
  bool importing = false;  ///< hidden until finished, purged when the writer dies
};

/// Appends one capture to a book, durably.
///
/// Samples handed to `append` are in memory until `flush`, which writes all of them, with log
/// lines, events and flags, in one transaction: after it returns they survive a killed process and
/// a power cut. Full chunks are sealed with their pyramid; the open end goes into the `tail` table
/// in small pieces. One thread. After an Error (a full disk) what was flushed before is safe, and
/// the writer can only be destroyed.
class CaptureWriter {
public:
  CaptureWriter(Book& book, const CaptureSpec& spec, const std::vector<ChannelInfo>& channels);
  ~CaptureWriter();
  CaptureWriter(const CaptureWriter&) = delete;
  CaptureWriter& operator=(const CaptureWriter&) = delete;

  std::int64_t id() const { return id_; }

  /// Evenly spaced samples from tick `start`. They go on with the open segment when they follow it
  /// without a gap, else they begin a new one. Throws std::invalid_argument when they overlap.
  void append(std::size_t channel, std::int64_t start, std::int64_t period,
              std::span<const double> values);
  /// Samples with times of their own (strictly rising). `end`: where the last averaged sample ends.
  /// `new_segment` says that there is a gap before them.
  void append_times(std::size_t channel, std::span<const std::int64_t> times,
                    std::span<const double> values, std::int64_t end, bool new_segment);
  void flag(std::size_t channel, const FlagRun& run);
  void log(const LogLine& line) { log_.push_back(line); }
  void event(const Event& event) { events_.push_back(event); }
  void condition(const std::string& key, const std::string& value);
  /// How the channels' own time lies on the capture's axis, as it is known by now, and the points
  /// that say; written with the next flush. The last one given stays.
  void clock(std::size_t channel, const ClockMap& map, std::vector<SyncPoint> points);

  /// Writes everything appended since the last flush and commits it. Where the book was moved,
  /// replaced or deleted, what came before is finished where it is, and a capture in a new book
  /// beside it goes on: `book()` and `id()` are then that one, and `take_report` says so once.
  void flush();
  const Book& book() const { return *book_; }
  std::string take_report() { return std::exchange(report_, {}); }
  /// Flushes, seals the last chunks and closes the capture.
  void finish(const std::string& end_reason, bool interrupted);

private:
  struct Segment;
  struct Channel;
  static Segment& open_segment(Channel& channel, std::int64_t start, std::int64_t period);
  void write_channel(Channel& channel, std::span<const ChunkPiece>& pieces);
  void write_clock(const Channel& channel);
  static std::vector<ChunkPiece> pieces_of(const Channel& channel, const Segment& segment);
  void store_chunk(Channel& channel, const Segment& segment, const ChunkPiece& piece);
  void store_chunks(Channel& channel, Segment& segment, std::span<const ChunkPiece> pieces);
  void append_tail(const Channel& channel, Segment& segment);

  void begin();
  void put_rows();
  void go_on_beside();
  void write_all();
  void close_capture(const std::string& end_reason, bool interrupted);

  Book* book_;
  CaptureSpec spec_;
  std::unique_ptr<Book> beside_;  // once the book was taken away
  std::string report_;
  std::int64_t id_ = 0;
  bool finished_ = false;
  std::unique_ptr<LazyCommits> lazy_;  // until what is imported is whole
  WritingMark writing_;
  ChunkSealer sealer_;
  std::vector<std::unique_ptr<Channel>> channels_;
  std::vector<LogLine> log_;
  std::vector<Event> events_;
};

}  // namespace kuvio::book
