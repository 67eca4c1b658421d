// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/stored_trace.h"

#include "book/schema.h"
#include "book/sqlite.h"
#include "core/error.h"
#include "core/flag_key.h"
#include "core/node_sizes.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace kuvio::book {

static_assert(kNodeSizes == std::array{kChunkSamples, kCoarseSamples, kStrideSamples});

StoredTrace::StoredTrace(const Book& book, const ChannelInfo& channel)
    : db_(book.database()),
      info_(channel),
      cache_(book.cache()),
      owner_(cache_.new_owner()),
      can_be_packed_(book.version() >= 4) {
  load();
}

void StoredTrace::grow(const ChannelInfo& now) {
  info_ = now;
  load();
}

void StoredTrace::load() {
  // One read transaction, so that segments, chunks and tail belong together while a writer goes on.
  db_.execute("BEGIN");
  try {
    load_segments();
    load_chunks();
    load_tail();
    load_flags();
    db_.execute("COMMIT");
  } catch (...) {
    try {
      db_.execute("ROLLBACK");
    } catch (const Error&) {  // the first error is the one to report
    }
    throw;
  }
}

void StoredTrace::damaged(const std::string& what) const {
  throw Error(Failure::bad_data, "damaged book", db_.path(),
              "channel " + std::to_string(info_.id) + " (" + info_.name + "): " + what +
                  "; run kuvio-cli verify");
}

/// From the last known one on, which may have grown.
void StoredTrace::load_segments() {
  auto rows = db_.prepare(
      "SELECT start_tick, period_ticks, end_tick, first_sample, samples FROM segment "
      "WHERE channel=?1 ORDER BY seq LIMIT -1 OFFSET ?2");
  rows.bind_all(info_.id, static_cast<std::int64_t>(blocks_.empty() ? 0 : blocks_.size() - 1));
  std::optional<Block> grown;
  if (!blocks_.empty()) {
    grown = blocks_.back();
    blocks_.pop_back();
  }
  constexpr std::int64_t kLimit = std::int64_t{1} << 62;
  while (rows.step()) {
    Block b{rows.integer(0), rows.integer(1), rows.integer(2), rows.integer(3), rows.integer(4)};
    const std::int64_t expected_first =
        blocks_.empty() ? 0 : blocks_.back().first + blocks_.back().count;
    const std::int64_t cells = b.count - (info_.kind == SampleKind::instant ? 1 : 0);
    const bool sane =
        b.count > 0 && b.period >= 0 && b.first == expected_first && b.end >= b.start &&
        b.start > -kLimit && b.end < kLimit && b.count < (std::int64_t{1} << 40) &&
        (blocks_.empty() || b.start >= blocks_.back().end) &&
        (b.period == 0 || (b.end - b.start) / b.period == cells) &&
        (!grown ||
         (b.start == grown->start && b.period == grown->period && b.count >= grown->count));
    grown.reset();
    if (!sane) damaged("segment " + std::to_string(blocks_.size()) + " makes no sense");
    blocks_.push_back(b);
  }
  if (grown) damaged("its last segment is gone");
}

/// Those after the last known one.
void StoredTrace::load_chunks() {
  auto rows = db_.prepare(
      std::string("SELECT id, first_sample, samples, q, r, coarse, strides_crc, times_crc, ") +
      (can_be_packed_ ? "packed, packed_times" : "NULL, NULL") +
      " FROM chunk WHERE id>=?1 AND id<?2 ORDER BY id");
  rows.bind_all(chunks_.empty() ? info_.id << 32 : chunks_.back().id + 1, (info_.id + 1) << 32);
  std::size_t block = stores_.empty() ? 0 : stores_.size() - 1;
  stores_.resize(blocks_.size());
  Sum q, r;
  if (!chunks_.empty()) {
    q = chunks_.back().q_before;
    r = chunks_.back().r_before;
    q += chunks_.back().sum.q;
    r += chunks_.back().sum.r;
  }
  while (rows.step()) {
    Chunk c;
    c.id = rows.integer(0);
    c.samples = rows.integer(2);
    const std::int64_t first = rows.integer(1);
    while (block < blocks_.size() && first >= blocks_[block].first + blocks_[block].count) ++block;
    if (block >= blocks_.size())
      damaged("chunk " + std::to_string(c.id) + " belongs to no segment");
    Store& store = stores_[block];
    if (store.chunks == 0) {
      store.first_chunk = chunks_.size();
      q = r = Sum();
    }
    const bool full = c.samples == kChunkSamples;
    const bool ends_block = first + c.samples == blocks_[block].first + blocks_[block].count;
    const bool sane = first == blocks_[block].first + store.sealed && c.samples > 0 &&
                      (full || (c.samples < kChunkSamples && ends_block));
    c.coarse = decode_coarse(rows.blob(5));
    if (!sane || static_cast<std::int64_t>(c.coarse.size()) !=
                     (c.samples + kCoarseSamples - 1) / kCoarseSamples) {
      damaged("chunk " + std::to_string(c.id) + " does not fit its segment");
    }
    c.sum = c.coarse.front();
    for (const CellSum& node : c.coarse) {
      c.sum.lo = std::min(c.sum.lo, node.lo);
      c.sum.hi = std::max(c.sum.hi, node.hi);
    }
    c.sum.q = rows.real(3);
    c.sum.r = rows.real(4);
    c.strides_crc = static_cast<std::uint32_t>(rows.integer(6));
    c.times_crc = static_cast<std::uint32_t>(rows.integer(7));
    for (const auto& [column, head] : {std::pair{8, &c.packed}, std::pair{9, &c.packed_times}}) {
      if (rows.is_null(column)) continue;
      *head = decode_head(rows.blob(column), c.samples);
      const bool ticks = *head && (*head)->form == PackedHead::Form::ticks;
      if (!*head || ticks != (column == 9))
        damaged("chunk " + std::to_string(c.id) + " is packed in a way that makes no sense");
    }
    c.q_before = q;
    c.r_before = r;
    q += c.sum.q;
    r += c.sum.r;
    store.sealed += c.samples;
    ++store.chunks;
    chunks_.push_back(std::move(c));
  }
  for (std::size_t b = 0; b + 1 < blocks_.size(); ++b) {
    if (stores_[b].sealed != blocks_[b].count)
      damaged("samples of segment " + std::to_string(b) + " are missing");
  }
}

void StoredTrace::load_tail() {
  tail_.clear();
  tail_times_.clear();
  tail_strides_.clear();
  if (blocks_.empty()) return;
  const Block& block = blocks_.back();
  auto rows = db_.prepare(
      "SELECT first_sample, samples, crc, data, times FROM tail WHERE channel=?1 ORDER BY "
      "first_sample");
  rows.bind_all(info_.id);
  std::int64_t next = block.first + stores_.back().sealed;
  while (rows.step()) {
    const std::int64_t count = rows.integer(1);
    const auto data = rows.blob(3), times = rows.blob(4);
    const bool sane =
        rows.integer(0) == next && count > 0 &&
        data.size() == static_cast<std::size_t>(count) * bytes_per_sample(info_.encoding) &&
        times.size() == (block.period == 0 ? static_cast<std::size_t>(count) * 8 : 0) &&
        crc32(data) == static_cast<std::uint32_t>(rows.integer(2));
    if (!sane) damaged("the tail is damaged at sample " + std::to_string(next));
    const auto at = tail_.size();
    tail_.resize(at + static_cast<std::size_t>(count));
    decode(data, info_.encoding, std::span(tail_).subspan(at));
    if (block.period == 0) {
      tail_times_.resize(tail_.size());
      decode_ticks(times, std::span(tail_times_).subspan(at));
    }
    next += count;
  }
  if (!times_make_sense(tail_times_)) damaged("the times of its last samples are damaged");
  if (next != block.first + block.count) damaged("the last segment's samples are missing");
  for (std::int64_t at = stores_.back().sealed; at < block.count; at += kStrideSamples) {
    tail_strides_.push_back(sum_raw(block, at, std::min(block.count, at + kStrideSamples)));
  }
}

/// Whether times rise, and lie where the segments do: nothing beyond is ever reckoned with.
bool StoredTrace::times_make_sense(std::span<const std::int64_t> times) const {
  return times.empty() ||
         (times.front() >= blocks_.front().start && times.back() <= blocks_.back().end &&
          std::adjacent_find(times.begin(), times.end(), std::greater_equal<>()) == times.end());
}

/// A stretch in which samples were due and none was data. Its times come from the book as they are.
static bool makes_sense(const FlagRun& run) {
  return std::isfinite(run.from_s) && std::isfinite(run.to_s) && run.from_s <= run.to_s &&
         run.samples >= 0;
}

void StoredTrace::load_flags() {
  flags_.clear();
  auto rows = db_.prepare(
      "SELECT flag, from_s, to_s, samples FROM flag_run WHERE channel=?1 ORDER BY from_s");
  rows.bind_all(info_.id);
  while (rows.step()) {
    flags_.push_back({flag_of_key(rows.text(0)).value_or(Flag::dropped), rows.real(1), rows.real(2),
                      rows.integer(3)});
    if (!makes_sense(flags_.back())) damaged("a stretch without data makes no sense");
  }
}

std::size_t StoredTrace::index_of(const Block& block) const {
  const auto number = static_cast<std::size_t>(&block - blocks_.data());
  if (number < blocks_.size()) return number;
  const auto it = std::partition_point(blocks_.begin(), blocks_.end(),
                                       [&](const Block& b) { return b.first < block.first; });
  return static_cast<std::size_t>(it - blocks_.begin());
}

}  // namespace kuvio::book
