// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/verify.h"

#include "book/channel_trace.h"
#include "book/checksums.h"
#include "book/schema.h"
#include "book/stored_trace.h"
#include "book/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::book {
namespace {

class Verifier {
public:
  Verifier(const Book& book, const std::function<bool(double)>& progress)
      : book_(book), db_(book.database()), progress_(progress) {}

  std::vector<Problem> run() {
    guarded([&] { structure(); });
    guarded([&] {
      auto count = db_.prepare("SELECT count(*) FROM chunk");
      if (count.step()) total_ = std::max<std::int64_t>(1, count.integer(0));
      for (const CaptureInfo& capture : book_.captures()) {
        guarded([&] {
          check_lengths(capture);
          check_conditions(capture);
        });
        check_capture(capture);
      }
    });
    return std::move(problems_);
  }

private:
  void add(const std::string& capture, const std::string& where, const std::string& what) {
    if (problems_.size() < 1000) problems_.push_back({capture, where, what});
  }

  /// What cannot be read is a problem, and the rest is checked all the same.
  template <typename Check>
  void guarded(Check check) {
    try {
      check();
    } catch (const Error& e) {
      add("", e.where(), e.happened() + ": " + e.why());
    }
  }

  /// Text that is longer than a book takes (book/text.h), and is shown shortened.
  void check_lengths(const CaptureInfo& capture) {
    struct Where {
      const char *what, *sql;
      std::size_t most;
    };
    for (const auto& [what, sql, most] : {
             Where{"its name or build",
                   "SELECT max(length(CAST(name AS BLOB)), length(CAST(build AS BLOB))) FROM "
                   "capture WHERE id=?1",
                   kMostName},
             Where{"a condition",
                   "SELECT max(max(length(CAST(key AS BLOB)), length(CAST(value AS BLOB)))) FROM "
                   "condition WHERE capture=?1",
                   kMostName},
             Where{"the text of a channel",
                   "SELECT max(max(length(CAST(name AS BLOB)), length(CAST(quantity AS BLOB)), "
                   "length(CAST(unit AS BLOB)), length(CAST(input AS BLOB)), "
                   "length(CAST(accuracy AS BLOB)))) FROM channel WHERE capture=?1",
                   kMostName},
             Where{"a log line",
                   "SELECT max(length(CAST(text AS BLOB))) FROM log_line WHERE capture=?1",
                   kMostLine},
             Where{"an event", "SELECT max(length(CAST(text AS BLOB))) FROM event WHERE capture=?1",
                   kMostLine},
             Where{"the name of a state",
                   "SELECT max(length(CAST(state AS BLOB))) FROM visit WHERE split IN (SELECT id "
                   "FROM split WHERE capture=?1)",
                   kMostName},
             Where{"a recipe",
                   "SELECT max(length(CAST(recipe_text AS BLOB))) FROM split WHERE capture=?1",
                   kMostText},
         }) {
      auto row = db_.prepare(sql);
      row.bind_all(capture.id);
      if (row.step() && row.integer(0) > static_cast<std::int64_t>(most)) {
        add(capture.name, what,
            fmt::format("is {} bytes long: it is shown shortened to {}", row.integer(0), most));
      }
    }
  }

  void check_conditions(const CaptureInfo& capture) {
    auto row = db_.prepare("SELECT count(*) FROM condition WHERE capture=?1");
    row.bind_all(capture.id);
    if (row.step() && row.integer(0) > static_cast<std::int64_t>(kMostConditions)) {
      add(capture.name, "conditions",
          fmt::format("there are {}: {} are shown", row.integer(0), kMostConditions));
    }
  }

  void structure() {
    if (!book_.unclean().empty()) add("", "file", book_.unclean());
    auto rows = db_.prepare("PRAGMA integrity_check(20)");  // with its indexes
    while (rows.step()) {
      if (rows.text(0) != "ok") add("", "file", rows.text(0));
    }
    auto keys = db_.prepare("PRAGMA foreign_key_check");
    while (keys.step())
      add("", keys.text(0), "refers to a row of " + keys.text(2) + " that is not there");
    auto orphans =
        db_.prepare("SELECT count(*) FROM chunk WHERE (id >> 32) NOT IN (SELECT id FROM channel)");
    if (orphans.step() && orphans.integer(0) > 0) {
      add("", "chunk", fmt::format("{} chunks belong to no channel", orphans.integer(0)));
    }
    for (const ChecksumFault& f : check_checksums(db_))
      add(f.capture > 0 ? "capture " + std::to_string(f.capture) : "", f.where, f.what);
  }

  /// Visits cover what was captured, so that a ledger's rows come to its total.
  void check_split(const CaptureInfo& capture) {
    const auto split = book_.split(capture.id);
    if (!split || capture.recording) return;
    const auto channel = std::find_if(capture.channels.begin(), capture.channels.end(),
                                      [&](const ChannelInfo& c) { return c.id == split->channel; });
    if (channel == capture.channels.end()) {
      add(capture.name, "split", "it is of a channel that is not there");
      return;
    }
    const ChannelTrace trace(book_, *channel);
    if (split->visits.empty()) {
      if (trace.samples() > 0) add(capture.name, "split", "it has no visits");
      return;
    }
    // Those of older books do not reach over flagged samples at the ends.
    const auto blocks = trace.blocks();
    if (blocks.empty()) return;
    const double period = channel->period_s > 0 ? channel->period_s : 1e-9;
    const double first = trace.time_base().seconds(blocks.front().start),
                 last = trace.time_base().seconds(blocks.back().end);
    if (split->visits.front().from_s > first + period / 2 ||
        split->visits.back().to_s < last - period / 2 ||
        split->visits.front().from_s < trace.from_s() - period / 2 ||
        split->visits.back().to_s > trace.to_s() + period / 2) {
      add(capture.name, "split",
          fmt::format("its visits cover {:g} … {:g} s of {:g} … {:g} s: the ledger does not close",
                      split->visits.front().from_s, split->visits.back().to_s, trace.from_s(),
                      trace.to_s()));
    }
  }

  void check_capture(const CaptureInfo& capture) {
    if (!capture.damage.empty()) {
      add(capture.name, "capture", capture.damage);
      return;
    }
    for (const ChannelInfo& channel : capture.channels) {
      try {
        const StoredTrace trace(book_, channel);  // checks how everything fits
        check_chunks(capture, channel, trace);
      } catch (const Error& e) {
        add(capture.name, "channel " + channel.name, e.why());
      }
      if (stopped_) return;
    }
    try {
      check_split(capture);
    } catch (const Error& e) {
      add(capture.name, "split", e.why());
    }
  }

  void check_chunks(const CaptureInfo& capture, const ChannelInfo& channel,
                    const StoredTrace& trace) {
    auto rows = db_.prepare(
        std::string(
            "SELECT c.id, c.first_sample, c.samples, c.q, c.r, c.coarse, s.data, n.data, t.data, "
            "c.times_crc, ") +
        (book_.version() >= 4 ? "c.packed, c.packed_times" : "NULL, NULL") +
        " FROM chunk c "
        "LEFT JOIN chunk_samples s ON s.id=c.id LEFT JOIN chunk_strides n ON n.id=c.id "
        "LEFT JOIN chunk_times t ON t.id=c.id WHERE c.id>=?1 AND c.id<?2 ORDER BY c.id");
    rows.bind_all(channel.id << 32, (channel.id + 1) << 32);
    while (rows.step()) {
      check_chunk(capture, channel, trace, rows);
      if (progress_ && !progress_(static_cast<double>(++done_) / static_cast<double>(total_))) {
        stopped_ = true;
        return;
      }
    }
  }

  void check_chunk(const CaptureInfo& capture, const ChannelInfo& channel, const StoredTrace& trace,
                   const Statement& row) {
    const std::string where =
        fmt::format("channel {}, chunk {}", channel.name, row.integer(0) & 0xffffffff);
    const std::int64_t first = row.integer(1), samples = row.integer(2);
    // A capture that is being recorded has grown since the trace was made: its newest chunks are
    // left for later.
    if (capture.recording && first + samples >= trace.samples()) return;
    const auto data = row.blob(6), strides = row.blob(7), times = row.blob(8);
    std::vector<double> values(static_cast<std::size_t>(samples));
    if (!samples_of(row, channel.encoding, data, values)) {
      add(capture.name, where, "samples are missing or damaged");
      return;
    }
    const auto blocks = trace.blocks();
    const auto block = std::find_if(blocks.begin(), blocks.end(), [&](const Block& b) {
      return first >= b.first && first < b.first + b.count;
    });
    if (block == blocks.end()) return;  // StoredTrace has reported it
    const std::int64_t after = first - block->first + samples;
    double next = 0;
    const bool has_next = after < block->count;
    if (has_next) trace.read(*block, after, {&next, 1});
    std::vector<std::int64_t> ticks;
    if (block->period == 0) {
      ticks.resize(values.size() + 1);
      const auto own = std::span(ticks).first(values.size());
      if (!times_of(row, times, own) ||
          crc32(std::as_bytes(own)) != static_cast<std::uint32_t>(row.integer(9))) {
        add(capture.name, where, "sample times are damaged");
        return;
      }
      ticks.back() = tick_of(trace, *block, after);
      if (std::adjacent_find(ticks.begin(), ticks.end() - 1, std::greater_equal<>()) !=
          ticks.end() - 1) {
        add(capture.name, where, "sample times do not rise");
      }
    }
    const SealedChunk right =
        seal(channel.kind, channel.encoding, values, has_next ? &next : nullptr, ticks);
    if (!std::equal(strides.begin(), strides.end(), right.strides.begin(), right.strides.end())) {
      add(capture.name, where, "samples or their strides are damaged");
      return;
    }
    const auto coarse = row.blob(5);
    if (!std::equal(coarse.begin(), coarse.end(), right.coarse.begin(), right.coarse.end()) ||
        row.real(3) != right.sum.q || row.real(4) != right.sum.r) {
      add(capture.name, where, "sums do not match the samples");
    }
  }

  /// Calls `unpack` for every frame of a packed blob until it says no.
  template <typename Value, typename Unpack>
  static bool each_frame(const PackedHead& head, std::span<const std::byte> data,
                         std::span<Value> out, Unpack unpack) {
    if (head.ends.back() != data.size()) return false;
    for (std::size_t f = 0; f < head.ends.size(); ++f) {
      const std::size_t first = f * kFrameSamples,
                        n = std::min<std::size_t>(kFrameSamples, out.size() - first);
      if (!unpack(data.subspan(head.begin(f), head.ends[f] - head.begin(f)), out.subspan(first, n)))
        return false;
    }
    return true;
  }
  bool samples_of(const Statement& row, Encoding encoding, std::span<const std::byte> data,
                  std::span<double> out) {
    if (row.is_null(10)) {
      if (data.size() != out.size() * bytes_per_sample(encoding)) return false;
      decode(data, encoding, out);
      return true;
    }
    const auto head = decode_head(row.blob(10), static_cast<std::int64_t>(out.size()));
    return head && each_frame(*head, data, out, [&](auto frame, std::span<double> values) {
             return unpacker_.samples(*head, encoding, frame, values);
           });
  }
  bool times_of(const Statement& row, std::span<const std::byte> data,
                std::span<std::int64_t> out) {
    if (row.is_null(11)) {
      if (data.size() != out.size() * 8) return false;
      decode_ticks(data, out);
      return true;
    }
    const auto head = decode_head(row.blob(11), static_cast<std::int64_t>(out.size()));
    return head && each_frame(*head, data, out, [&](auto frame, std::span<std::int64_t> ticks) {
             return unpacker_.times(frame, ticks);
           });
  }

  const Book& book_;
  const Database& db_;
  Unpacker unpacker_;
  const std::function<bool(double)>& progress_;
  std::vector<Problem> problems_;
  std::int64_t total_ = 1, done_ = 0;
  bool stopped_ = false;
};

}  // namespace

std::vector<Problem> verify(const Book& book, const std::function<bool(double)>& progress) {
  return Verifier(book, progress).run();
}

}  // namespace kuvio::book
