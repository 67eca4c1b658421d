// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/capture_writer.h"

#include "book/checksums.h"
#include "book/chunk.h"
#include "book/copy.h"
#include "book/owner.h"
#include "book/schema.h"
#include "book/text.h"
#include "core/flag_key.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <iterator>
#include <stdexcept>
#include <thread>
#include <utility>

namespace kuvio::book {
namespace {

constexpr std::int64_t kCheckpointBytes = 32 << 20;
constexpr unsigned kMostSealers = 4;

std::int64_t now_us() {
  return std::chrono::duration_cast<std::chrono::microseconds>(
             std::chrono::system_clock::now().time_since_epoch())
      .count();
}

std::string as_name(const std::string& text) { return shortened(printable(text), kMostName); }

}  // namespace

/// A stretch of samples being appended. `open` holds what is in no chunk yet; the first `in_tail`
/// of it are in the tail table already.
struct CaptureWriter::Segment {
  std::int64_t seq = 0, start = 0, period = 0, end = 0, first = 0, count = 0;
  std::vector<double> open;
  std::vector<std::int64_t> open_times;  // empty for uniform segments
  std::size_t in_tail = 0;
  std::size_t pieces = 0;  // that can be sealed at this flush
  bool closed = false;

  bool explicit_times() const { return period == 0; }
};

/// One channel being appended to. All but the last of its segments are closed and wait for the next
/// flush.
struct CaptureWriter::Channel {
  ChannelInfo info;
  std::vector<Segment> segments;
  std::vector<FlagRun> flags;
  std::optional<ClockMap> clock;  // to be written
  std::optional<ClockMap> clock_known;
  std::vector<SyncPoint> sync_points;
  std::optional<Lattice> lattice;  // what its last chunk was packed by
  std::int64_t segment_seq = 0, chunk_seq = 0;
  std::int64_t sealed = 0;    // samples of the channel in chunks
  std::int64_t appended = 0;  // samples of the channel in all
};

CaptureWriter::CaptureWriter(Book& book, const CaptureSpec& spec,
                             const std::vector<ChannelInfo>& channels)
    : book_(&book),
      spec_(spec),
      // A recorder has the instrument's threads beside it.
      sealer_(spec.importing ? std::clamp(std::thread::hardware_concurrency(), 1U, kMostSealers)
                             : 1) {
  if (spec.conditions.size() > kMostConditions) {
    throw Error(Failure::bad_data, "too many conditions", book.path(),
                fmt::format("{} of them, and a capture has {} at most", spec.conditions.size(),
                            kMostConditions));
  }
  if (channels.size() > kMostChannels) {
    throw Error(Failure::bad_data, "too many channels", book.path(),
                fmt::format("{} of them, and a capture has {} at most: leave some out",
                            channels.size(), kMostChannels));
  }
  for (const ChannelInfo& info : channels) {
    auto channel = std::make_unique<Channel>();
    channel->info = info;
    if (info.clock) channel->clock = info.clock;
    channel->lattice = info.lattice;
    channels_.push_back(std::move(channel));
  }
  begin();
  if (spec.importing) lazy_ = std::make_unique<LazyCommits>(book.database());
}

/// Puts the capture with its channels into the book.
void CaptureWriter::begin() {
  Transaction transaction(book_->database());
  if (book_->database().has_moved()) {
    throw Error(Failure::io, "the book is gone", book_->path(),
                "it was moved, replaced or deleted; try again");
  }
  put_rows();
  transaction.commit();
}

void CaptureWriter::put_rows() {
  const Database& db = book_->database();
  db.prepare(
        "INSERT INTO capture(name, build, started_utc, phase, end_reason, owner, heartbeat_us) "
        "VALUES(?1, ?2, ?3, ?4, '', ?5, ?6)")
      .bind_all(as_name(spec_.name), as_name(spec_.build), utc_now(),
                std::string_view(spec_.importing ? "importing" : "recording"), own_identity(),
                now_us())
      .run();
  id_ = db.last_row();
  writing_.begin(book_->path(), id_);
  for (const auto& [key, value] : spec_.conditions) condition(key, value);
  for (auto& channel : channels_) {
    const ChannelInfo& info = channel->info;
    db.prepare(
          "INSERT INTO channel(capture, name, quantity, unit, kind, encoding, tick_num, tick_den, "
          "input, accuracy) "
          "VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)")
        .bind_all(id_, as_name(info.name), kuvio::info(info.quantity).key, as_name(info.unit),
                  std::string_view(info.kind == SampleKind::instant ? "instant" : "averaged"),
                  std::string_view(to_string(info.encoding)), info.time_base.num,
                  info.time_base.den, as_name(info.input), as_name(info.accuracy))
        .run();
    channel->info.id = db.last_row();
    if (!info.calibration.identity()) {
      db.prepare("INSERT INTO calibration(channel, gain, offset, text) VALUES(?1, ?2, ?3, ?4)")
          .bind_all(channel->info.id, info.calibration.gain, info.calibration.offset,
                    as_name(info.calibration.text))
          .run();
    }
  }
}

CaptureWriter::~CaptureWriter() = default;

void CaptureWriter::condition(const std::string& key, const std::string& value) {
  book_->database()
      .prepare(
          "INSERT INTO condition(capture, key, value) VALUES(?1, ?2, ?3) "
          "ON CONFLICT(capture, key) DO UPDATE SET value=excluded.value")
      .bind_all(id_, as_name(key), as_name(value))
      .run();
}

CaptureWriter::Segment& CaptureWriter::open_segment(Channel& c, std::int64_t start,
                                                    std::int64_t period) {
  if (!c.segments.empty()) {
    if (start < c.segments.back().end)
      throw std::invalid_argument("samples overlap those before them");
    c.segments.back().closed = true;
  }
  Segment& s = c.segments.emplace_back();
  s.seq = c.segment_seq++;
  s.start = s.end = start;
  s.period = period;
  s.first = c.appended;
  return s;
}

void CaptureWriter::append(std::size_t channel, std::int64_t start, std::int64_t period,
                           std::span<const double> values) {
  if (values.empty()) return;
  if (period <= 0) throw std::invalid_argument("a period must be positive");
  Channel& c = *channels_.at(channel);
  Segment* s = c.segments.empty() ? nullptr : &c.segments.back();
  const bool follows =
      s && !s->closed && s->period == period && start == s->start + s->count * period;
  if (!follows) s = &open_segment(c, start, period);
  if (c.info.encoding == Encoding::f4) {
    std::transform(values.begin(), values.end(), std::back_inserter(s->open),
                   [](double v) { return static_cast<double>(static_cast<float>(v)); });
  } else {
    s->open.insert(s->open.end(), values.begin(), values.end());
  }
  s->count += static_cast<std::int64_t>(values.size());
  c.appended += static_cast<std::int64_t>(values.size());
  s->end = s->start + (s->count - (c.info.kind == SampleKind::instant ? 1 : 0)) * period;
}

void CaptureWriter::append_times(std::size_t channel, std::span<const std::int64_t> times,
                                 std::span<const double> values, std::int64_t end,
                                 bool new_segment) {
  if (values.empty()) return;
  Channel& c = *channels_.at(channel);
  Segment* s = c.segments.empty() ? nullptr : &c.segments.back();
  if (!s || s->closed || !s->explicit_times() || new_segment)
    s = &open_segment(c, times.front(), 0);
  if (!s->open_times.empty() && times.front() <= s->open_times.back()) {
    throw std::invalid_argument("sample times must rise");
  }
  s->open.insert(s->open.end(), values.begin(), values.end());
  s->open_times.insert(s->open_times.end(), times.begin(), times.end());
  s->count += static_cast<std::int64_t>(values.size());
  c.appended += static_cast<std::int64_t>(values.size());
  s->end = c.info.kind == SampleKind::instant ? times.back() : end;
}

void CaptureWriter::flag(std::size_t channel, const FlagRun& run) {
  channels_.at(channel)->flags.push_back(run);
}

void CaptureWriter::clock(std::size_t channel, const ClockMap& map, std::vector<SyncPoint> points) {
  channels_.at(channel)->clock = channels_.at(channel)->clock_known = map;
  channels_.at(channel)->sync_points = std::move(points);
}

void CaptureWriter::write_clock(const Channel& c) {
  const Database& db = book_->database();
  db.prepare(
        "INSERT INTO clock(channel, map, origin_s, rate, spread_s) VALUES(?1, 1, ?2, ?3, ?4) "
        "ON CONFLICT(channel) DO UPDATE SET map=map+1, origin_s=excluded.origin_s, "
        "rate=excluded.rate, spread_s=excluded.spread_s")
      .bind_all(c.info.id, c.clock->origin_s, c.clock->rate, c.clock->spread_s)
      .run();
  db.prepare("DELETE FROM sync_point WHERE channel=?1").bind_all(c.info.id).run();
  for (const SyncPoint& p : c.sync_points) {
    // NULL where a link says nothing: an infinity would not survive other readers.
    auto row = db.prepare(
        "INSERT INTO sync_point(channel, own_s, earliest_s, latest_s) VALUES(?1, ?2, "
        "iif(?3 < -1e300, NULL, ?3), iif(?4 > 1e300, NULL, ?4))");
    row.bind_all(c.info.id, p.own_s, p.earliest_s, p.latest_s).run();
  }
}

/// What of an open segment can be sealed: full chunks, each of which waits for the sample after it,
/// since its last cell reaches there; a closed segment to its end.
std::vector<ChunkPiece> CaptureWriter::pieces_of(const Channel& c, const Segment& s) {
  std::vector<ChunkPiece> out;
  constexpr auto kFull = static_cast<std::size_t>(kChunkSamples);
  for (std::size_t at = 0; at < s.open.size();) {
    const std::size_t rest = s.open.size() - at;
    if (rest <= kFull && !s.closed) break;
    const std::size_t count = std::min(rest, kFull);
    const bool last = rest <= kFull;
    ChunkPiece piece;
    piece.kind = c.info.kind;
    piece.encoding = c.info.encoding;
    piece.values = std::span(s.open).subspan(at, count);
    piece.next = last ? nullptr : &s.open[at + count];
    piece.lattice = c.lattice;
    if (s.explicit_times()) {
      const auto begin = s.open_times.begin() + static_cast<std::ptrdiff_t>(at);
      piece.times.assign(begin, begin + static_cast<std::ptrdiff_t>(count));
      piece.times.push_back(last ? s.end : s.open_times[at + count]);
    }
    out.push_back(std::move(piece));
    at += count;
  }
  return out;
}

void CaptureWriter::store_chunk(Channel& c, const Segment& s, const ChunkPiece& piece) {
  const Database& db = book_->database();
  const std::int64_t id = c.info.id << 32 | c.chunk_seq++;
  const auto count = static_cast<std::int64_t>(piece.values.size());
  const SealedChunk& sealed = piece.sealed;
  auto row = db.prepare(
      "INSERT INTO chunk(id, segment, first_sample, samples, q, r, coarse, strides_crc, "
      "times_crc, packed, packed_times) "
      "VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11)");
  row.bind_all(id, s.seq, c.sealed, count, sealed.sum.q, sealed.sum.r,
               std::span<const std::byte>(sealed.coarse),
               static_cast<std::int64_t>(sealed.strides_crc),
               static_cast<std::int64_t>(sealed.times_crc));
  for (const auto& [at_column, head] :
       {std::pair{10, &piece.samples.head}, {11, &piece.packed_times.head}}) {
    if (!head->empty()) row.bind(at_column, std::span<const std::byte>(*head));
  }
  row.run();
  const auto store = [&](const char* sql, const Bytes& data) {
    db.prepare(sql).bind_all(id, std::span<const std::byte>(data)).run();
  };
  store("INSERT INTO chunk_samples(id, data) VALUES(?1, ?2)",
        piece.samples.head.empty() ? encode(piece.values, piece.encoding) : piece.samples.data);
  store("INSERT INTO chunk_strides(id, data) VALUES(?1, ?2)", sealed.strides);
  if (s.explicit_times())
    store("INSERT INTO chunk_times(id, data) VALUES(?1, ?2)",
          piece.packed_times.head.empty() ? sealed.times : piece.packed_times.data);
  c.lattice = piece.lattice;
  c.sealed += count;
}

/// Stores what was sealed of a segment.
void CaptureWriter::store_chunks(Channel& c, Segment& s, std::span<const ChunkPiece> pieces) {
  if (pieces.empty()) return;
  std::ptrdiff_t n = 0;
  for (const ChunkPiece& piece : pieces) {
    store_chunk(c, s, piece);
    n += static_cast<std::ptrdiff_t>(piece.values.size());
  }
  if (s.in_tail > 0)
    book_->database().prepare("DELETE FROM tail WHERE channel=?1").bind_all(c.info.id).run();
  s.in_tail = 0;  // what is left open goes into the tail again, as one piece
  s.open.erase(s.open.begin(), s.open.begin() + n);
  if (s.explicit_times()) s.open_times.erase(s.open_times.begin(), s.open_times.begin() + n);
}

void CaptureWriter::append_tail(const Channel& c, Segment& s) {
  if (s.open.size() <= s.in_tail) return;
  const std::span<const double> fresh = std::span<const double>(s.open).subspan(s.in_tail);
  const Bytes data = encode(fresh, c.info.encoding);
  const Bytes times =
      s.explicit_times()
          ? encode_ticks(std::span<const std::int64_t>(s.open_times).subspan(s.in_tail))
          : Bytes{};
  book_->database()
      .prepare(
          "INSERT INTO tail(channel, first_sample, samples, crc, data, times) VALUES(?1, ?2, ?3, "
          "?4, ?5, ?6)")
      .bind_all(c.info.id, c.sealed + static_cast<std::int64_t>(s.in_tail),
                static_cast<std::int64_t>(fresh.size()), static_cast<std::int64_t>(crc32(data)),
                std::span<const std::byte>(data), std::span<const std::byte>(times))
      .run();
  s.in_tail = s.open.size();
}

void CaptureWriter::write_channel(Channel& c, std::span<const ChunkPiece>& pieces) {
  const Database& db = book_->database();
  auto segment = db.prepare(
      "INSERT INTO segment(channel, seq, start_tick, period_ticks, end_tick, first_sample, "
      "samples, gain, offset) "
      "VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, 1.0, 0.0) "
      "ON CONFLICT(channel, seq) DO UPDATE SET end_tick=excluded.end_tick, "
      "samples=excluded.samples");
  for (Segment& s : c.segments) {
    const std::size_t n = s.pieces;
    store_chunks(c, s, pieces.first(n));
    pieces = pieces.subspan(n);
    // What is being imported is whole or not there at all.
    if (!s.closed && !spec_.importing) append_tail(c, s);
    segment.bind_all(c.info.id, s.seq, s.start, s.period, s.end, s.first, s.count).run();
  }
  std::erase_if(c.segments, [](const Segment& s) { return s.closed; });
  if (c.clock) write_clock(c);
  for (const FlagRun& run : c.flags) {
    db.prepare(
          "INSERT INTO flag_run(channel, flag, from_s, to_s, samples) VALUES(?1, ?2, ?3, ?4, ?5)")
        .bind_all(c.info.id, key_of(run.flag), run.from_s, run.to_s, run.samples)
        .run();
  }
}

/// What came until now is finished in the file that was taken away, which still takes it, and is
/// folded in there; a new book beside it takes what comes.
void CaptureWriter::go_on_beside() {
  const std::string path = book_->path();
  const std::string taken = std::filesystem::exists(path) ? "was replaced" : "was moved or deleted";
  for (auto& channel : channels_) {
    if (!channel->segments.empty()) channel->segments.back().closed = true;
  }
  write_all();
  close_capture("the book " + taken + " while it was recorded into", true);
  book_->database().checkpoint();

  const std::filesystem::path old(path);
  std::string beside;
  for (int number = 1; beside.empty() || std::filesystem::exists(beside); ++number) {
    beside = (old.parent_path() / fmt::format("{} goes on{}{}", old.stem().string(),
                                              number == 1 ? "" : " " + std::to_string(number),
                                              old.extension().string()))
                 .string();
  }
  // A deleted file has nothing but this connection: all of it is taken along.
  if (book_->database().is_deleted()) copy(*book_, beside);
  auto next = std::make_unique<Book>(Book::open(beside, Book::Mode::create));
  for (auto& channel : channels_) {
    Channel& c = *channel;
    c.segments.clear();
    c.segment_seq = c.chunk_seq = c.sealed = c.appended = 0;
    if (c.clock_known) c.clock = c.clock_known;
  }
  book_->database().let_go_of_log();
  beside_ = std::move(next);
  book_ = beside_.get();
  spec_.conditions["goes_on_from"] = old.filename().string();
  begin();
  report_ = fmt::format("the book {} {} while it was recorded into: recording goes on in {}", path,
                        taken, beside);
}

void CaptureWriter::flush() {
  if (book_->database().has_moved()) {
    if (spec_.importing)
      throw Error(Failure::io, "the book is gone", book_->path(),
                  "it was moved, replaced or deleted; try again");
    go_on_beside();
  }
  write_all();
}

void CaptureWriter::write_all() {
  const Database& db = book_->database();
  std::vector<ChunkPiece> sealed;
  for (auto& channel : channels_) {
    for (Segment& s : channel->segments) {
      auto pieces = pieces_of(*channel, s);
      s.pieces = pieces.size();
      std::move(pieces.begin(), pieces.end(), std::back_inserter(sealed));
    }
  }
  sealer_.seal(sealed);
  Transaction transaction(db);
  std::span<const ChunkPiece> pieces = sealed;
  for (auto& channel : channels_) write_channel(*channel, pieces);
  for (const LogLine& line : log_) {
    db.prepare("INSERT INTO log_line(capture, time_s, direction, text) VALUES(?1, ?2, ?3, ?4)")
        .bind_all(id_, line.time_s, std::string_view(line.sent ? "sent" : "received"),
                  shortened(line.text, kMostLine))
        .run();
  }
  for (const Event& e : events_) {
    db.prepare(
          "INSERT INTO event(capture, kind, earliest_s, latest_s, text) VALUES(?1, ?2, ?3, ?4, ?5)")
        .bind_all(id_, kuvio::info(e.kind).key, e.earliest_s, e.latest_s,
                  shortened(e.text, kMostLine))
        .run();
  }
  db.prepare("UPDATE capture SET heartbeat_us=?2 WHERE id=?1").bind_all(id_, now_us()).run();
  transaction.commit();
  for (auto& channel : channels_) {
    channel->flags.clear();
    channel->clock.reset();
  }
  log_.clear();
  events_.clear();
  if (lazy_) {
    lazy_->committed();
  } else if (db.wal_bytes() > kCheckpointBytes) {
    db.checkpoint();
  }
}

void CaptureWriter::close_capture(const std::string& end_reason, bool interrupted) {
  Transaction transaction(book_->database());
  book_->database()
      .prepare("UPDATE capture SET phase=?2, end_reason=?3 WHERE id=?1")
      .bind_all(id_, std::string_view(interrupted ? "interrupted" : "done"), end_reason)
      .run();
  seal_capture(book_->database(), id_);
  transaction.commit();
}

void CaptureWriter::finish(const std::string& end_reason, bool interrupted) {
  if (finished_) return;
  for (auto& channel : channels_) {
    if (!channel->segments.empty()) channel->segments.back().closed = true;
  }
  lazy_.reset();
  flush();
  close_capture(end_reason, interrupted);
  finished_ = true;
}

}  // namespace kuvio::book
