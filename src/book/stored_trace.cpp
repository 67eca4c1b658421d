// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/stored_trace.h"

#include "book/schema.h"

#include <algorithm>

namespace kuvio::book {
namespace {
constexpr std::uint8_t kDense = 12;  // single strides of a chunk after which all of it is fetched
}
namespace {

/// Adds pieces of a span up with compensated sums.
class Adder {
public:
  void add(const CellSum& piece) {
    extremes(piece);
    q_ += piece.q;
    r_ += piece.r;
  }
  void extremes(const CellSum& piece) {
    out_.lo = any_ ? std::min(out_.lo, piece.lo) : piece.lo;
    out_.hi = any_ ? std::max(out_.hi, piece.hi) : piece.hi;
    any_ = true;
  }
  void integrals(const Sum& q, const Sum& r) {
    q_ += q;
    r_ += r;
  }
  CellSum result() const { return {out_.lo, out_.hi, q_.value(), r_.value()}; }

private:
  CellSum out_;
  Sum q_, r_;
  bool any_ = false;
};

Flag flag_of(const std::string& name) {
  if (name == "over_range") return Flag::over_range;
  if (name == "not_a_number") return Flag::not_a_number;
  if (name == "range_change") return Flag::range_change;
  return Flag::dropped;
}

}  // namespace

template <typename Value>
Value* StoredTrace::Cache<Value>::find(std::size_t key) {
  const auto it = where.find(key);
  if (it == where.end()) return nullptr;
  order.splice(order.begin(), order, it->second);
  return &it->second->second;
}

template <typename Value>
Value& StoredTrace::Cache<Value>::put(std::size_t key, Value value) {
  order.emplace_front(key, std::move(value));
  where[key] = order.begin();
  if (order.size() > capacity) {
    where.erase(order.back().first);
    order.pop_back();
  }
  return order.front().second;
}

StoredTrace::StoredTrace(const Book& book, const ChannelInfo& channel)
    : db_(book.database()), info_(channel) {
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
    } catch (const Error&) {  // the first error is the one to tell
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
      "SELECT id, first_sample, samples, q, r, coarse, strides_crc, times_crc FROM chunk "
      "WHERE id>=?1 AND id<?2 ORDER BY id");
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
  if (next != block.first + block.count) damaged("the last segment's samples are missing");
  for (std::int64_t at = stores_.back().sealed; at < block.count; at += kStrideSamples) {
    tail_strides_.push_back(sum_raw(block, at, std::min(block.count, at + kStrideSamples)));
  }
}

void StoredTrace::load_flags() {
  flags_.clear();
  auto rows = db_.prepare(
      "SELECT flag, from_s, to_s, samples FROM flag_run WHERE channel=?1 ORDER BY from_s");
  rows.bind_all(info_.id);
  while (rows.step())
    flags_.push_back({flag_of(rows.text(0)), rows.real(1), rows.real(2), rows.integer(3)});
}

std::size_t StoredTrace::index_of(const Block& block) const {
  const auto number = static_cast<std::size_t>(&block - blocks_.data());
  if (number < blocks_.size()) return number;
  const auto it = std::partition_point(blocks_.begin(), blocks_.end(),
                                       [&](const Block& b) { return b.first < block.first; });
  return static_cast<std::size_t>(it - blocks_.begin());
}

const std::vector<StrideNode>& StoredTrace::strides(std::size_t chunk) const {
  if (auto* hit = stride_cache_.find(chunk)) return *hit;
  const Chunk& c = chunks_[chunk];
  auto row = db_.prepare("SELECT data FROM chunk_strides WHERE id=?1");
  row.bind_all(c.id);
  if (!row.step()) damaged("strides of chunk " + std::to_string(c.id) + " are missing");
  const auto data = row.blob(0);
  const auto nodes = static_cast<std::size_t>((c.samples + kStrideSamples - 1) / kStrideSamples);
  if (data.size() != nodes * kStrideNodeBytes || crc32(data) != c.strides_crc) {
    damaged("strides of chunk " + std::to_string(c.id) + " are damaged");
  }
  ++fetched_.stride_blobs;
  return stride_cache_.put(chunk, decode_strides(data));
}

const std::vector<std::int64_t>& StoredTrace::chunk_times(std::size_t chunk) const {
  if (auto* hit = times_cache_.find(chunk)) return *hit;
  const Chunk& c = chunks_[chunk];
  auto row = db_.prepare("SELECT data FROM chunk_times WHERE id=?1");
  row.bind_all(c.id);
  if (!row.step()) damaged("times of chunk " + std::to_string(c.id) + " are missing");
  const auto data = row.blob(0);
  if (data.size() != static_cast<std::size_t>(c.samples) * 8 || crc32(data) != c.times_crc) {
    damaged("times of chunk " + std::to_string(c.id) + " are damaged");
  }
  std::vector<std::int64_t> times(static_cast<std::size_t>(c.samples));
  decode_ticks(data, times);
  return times_cache_.put(chunk, std::move(times));
}

void StoredTrace::read_chunk(std::size_t chunk, std::int64_t at, std::span<double> out) const {
  const Chunk& c = chunks_[chunk];
  const auto& nodes = strides(chunk);
  const std::size_t width = bytes_per_sample(info_.encoding);
  const std::int64_t first = at / kStrideSamples;
  const std::int64_t last = (at + static_cast<std::int64_t>(out.size()) - 1) / kStrideSamples;
  const std::int64_t base = first * kStrideSamples;
  const std::int64_t end = std::min(c.samples, (last + 1) * kStrideSamples);
  const std::size_t key = chunk << 8 | static_cast<std::size_t>(first);
  const bool single = first == last;
  const std::vector<double>* piece = single ? piece_cache_.find(key) : nullptr;
  std::vector<double> fresh;
  if (!piece) {
    // A chunk of which many single strides are wanted (the edges of a picture's columns) is fetched
    // whole: one read of it costs as much as some twenty of a stride.
    misses_.resize(chunks_.size());
    const Bytes* whole = raw_cache_.find(chunk);
    if (!whole && single && misses_[chunk] < 255 && ++misses_[chunk] >= kDense) {
      Bytes all(static_cast<std::size_t>(c.samples) * width);
      db_.read_blob("chunk_samples", "data", c.id, 0, all);
      misses_[chunk] = 0;
      whole = &raw_cache_.put(chunk, std::move(all));
    }
    Bytes raw(static_cast<std::size_t>(end - base) * width);
    if (whole && (static_cast<std::size_t>(base) * width + raw.size()) <= whole->size()) {
      std::copy_n(whole->begin() + base * static_cast<std::int64_t>(width), raw.size(),
                  raw.begin());
    } else {
      db_.read_blob("chunk_samples", "data", c.id, base * static_cast<std::int64_t>(width), raw);
    }
    ++fetched_.sample_pieces;
    auto& list = fetched_.sample_chunks;
    if (list.size() < 100000 &&
        std::find(list.begin(), list.end(), static_cast<std::int64_t>(chunk)) == list.end()) {
      list.push_back(static_cast<std::int64_t>(chunk));
    }
    std::size_t offset = 0;
    for (std::int64_t s = first; s <= last; ++s) {
      const StrideNode& node = nodes[static_cast<std::size_t>(s)];
      const std::size_t n =
          std::min(raw.size() - offset, static_cast<std::size_t>(kStrideSamples) * width);
      if (crc32(std::span(raw).subspan(offset, n)) != node.crc) {
        damaged("samples of chunk " + std::to_string(c.id) + " are damaged");
      }
      offset += n;
    }
    fresh.resize(static_cast<std::size_t>(end - base));
    decode(raw, info_.encoding, fresh);
    piece = single ? &piece_cache_.put(key, std::move(fresh)) : &fresh;
  }
  std::copy_n(piece->begin() + (at - base), out.size(), out.begin());
}

void StoredTrace::read(const Block& block, std::int64_t at, std::span<double> out) const {
  const Store& store = stores_[index_of(block)];
  std::size_t done = 0;
  while (done < out.size()) {
    const std::int64_t here = at + static_cast<std::int64_t>(done);
    if (here >= store.sealed) {
      std::copy_n(tail_.begin() + (here - store.sealed), out.size() - done,
                  out.begin() + static_cast<std::ptrdiff_t>(done));
      return;
    }
    const auto chunk = static_cast<std::size_t>(here / kChunkSamples);
    const std::int64_t within = here % kChunkSamples;
    const auto n =
        std::min(out.size() - done,
                 static_cast<std::size_t>(chunks_[store.first_chunk + chunk].samples - within));
    read_chunk(store.first_chunk + chunk, within, out.subspan(done, n));
    done += n;
  }
}

void StoredTrace::read_times(const Block& block, std::int64_t at,
                             std::span<std::int64_t> out) const {
  const Store& store = stores_[index_of(block)];
  for (std::size_t i = 0; i < out.size(); ++i) {
    const std::int64_t here = at + static_cast<std::int64_t>(i);
    if (here >= store.sealed) {
      out[i] = tail_times_[static_cast<std::size_t>(here - store.sealed)];
    } else {
      const auto chunk = store.first_chunk + static_cast<std::size_t>(here / kChunkSamples);
      out[i] = chunk_times(chunk)[static_cast<std::size_t>(here % kChunkSamples)];
    }
  }
}

CellSum StoredTrace::sum_raw(const Block& block, std::int64_t from, std::int64_t to) const {
  const bool has_next = to < block.count;
  std::vector<double> values(static_cast<std::size_t>(to - from + (has_next ? 1 : 0)));
  read(block, from, values);
  const auto own = std::span<const double>(values).first(static_cast<std::size_t>(to - from));
  const double* next = has_next ? &values.back() : nullptr;
  if (block.period > 0) return sum_cells(info_.kind, own, next);
  std::vector<std::int64_t> times(own.size() + 1);
  read_times(block, from, std::span(times).first(own.size()));
  times.back() = tick_of(*this, block, to);
  return sum_cells(info_.kind, own, next, times);
}

CellSum StoredTrace::sum_in_chunk(const Block& block, std::size_t chunk, std::int64_t base,
                                  std::int64_t from, std::int64_t to) const {
  const Chunk& c = chunks_[chunk];
  if (from == 0 && to == c.samples) return c.sum;
  const std::int64_t head =
      std::min(to, (from + kStrideSamples - 1) / kStrideSamples * kStrideSamples);
  const std::int64_t tail =
      to == c.samples ? to : std::max(head, to / kStrideSamples * kStrideSamples);
  Adder out;
  if (head > from) out.add(sum_raw(block, base + from, base + head));
  for (std::int64_t at = head; at < tail;) {
    if (at % kCoarseSamples == 0 && at + kCoarseSamples <= tail) {
      out.add(c.coarse[static_cast<std::size_t>(at / kCoarseSamples)]);
      at += kCoarseSamples;
    } else {
      out.add(strides(chunk)[static_cast<std::size_t>(at / kStrideSamples)].sum);
      at += kStrideSamples;
    }
  }
  if (to > tail) out.add(sum_raw(block, base + tail, base + to));
  return out.result();
}

/// Whole nodes first; a stride that is only touched is read if its own extremes reach beyond what
/// is known by then.
template <typename Known>
void StoredTrace::extremes_in_chunk(const Block& block, std::size_t chunk, std::int64_t base,
                                    std::int64_t from, std::int64_t to, Known& known) const {
  const Chunk& c = chunks_[chunk];
  if (from == 0 && to == c.samples) {
    known.add(c.sum);
    return;
  }
  const std::int64_t head =
      std::min(to, (from + kStrideSamples - 1) / kStrideSamples * kStrideSamples);
  const std::int64_t tail =
      to == c.samples ? to : std::max(head, to / kStrideSamples * kStrideSamples);
  const auto node = [&](std::int64_t at) -> const CellSum& {
    return strides(chunk)[static_cast<std::size_t>(at / kStrideSamples)].sum;
  };
  for (std::int64_t at = head; at < tail;) {
    const bool coarse = at % kCoarseSamples == 0 && at + kCoarseSamples <= tail;
    known.add(coarse ? c.coarse[static_cast<std::size_t>(at / kCoarseSamples)] : node(at));
    at += coarse ? kCoarseSamples : kStrideSamples;
  }
  const auto touched = [&](std::int64_t a, std::int64_t b) {
    if (a >= b || known.holds(node(a))) return;
    std::vector<double> values(static_cast<std::size_t>(b - a));
    read(block, base + a, values);
    for (const double v : values) known.add({v, v, 0, 0});
  };
  touched(from, head);
  touched(tail, to);
}

std::pair<double, double> StoredTrace::extremes(const Block& block, std::int64_t from,
                                                std::int64_t to) const {
  struct Known {
    double lo = 0, hi = 0;
    bool any = false;
    void add(const CellSum& s) {
      lo = any ? std::min(lo, s.lo) : s.lo;
      hi = any ? std::max(hi, s.hi) : s.hi;
      any = true;
    }
    bool holds(const CellSum& s) const { return any && s.lo >= lo && s.hi <= hi; }
  } known;
  const Store& store = stores_[index_of(block)];
  const std::int64_t in_chunks = std::min(to, store.sealed);
  for (std::int64_t at = from; at < in_chunks;) {
    const std::int64_t number = at / kChunkSamples, base = number * kChunkSamples;
    const std::int64_t end = std::min(in_chunks, base + kChunkSamples);
    extremes_in_chunk(block, store.first_chunk + static_cast<std::size_t>(number), base, at - base,
                      end - base, known);
    at = end;
  }
  if (to > store.sealed) known.add(sum_tail(block, std::max(from, store.sealed), to));
  return {known.lo, known.hi};
}

CellSum StoredTrace::sum_tail(const Block& block, std::int64_t from, std::int64_t to) const {
  const std::int64_t sealed = stores_[index_of(block)].sealed;
  const std::int64_t head =
      std::min(to, sealed + (from - sealed + kStrideSamples - 1) / kStrideSamples * kStrideSamples);
  const std::int64_t tail =
      to == block.count ? std::max(head, to)
                        : std::max(head, sealed + (to - sealed) / kStrideSamples * kStrideSamples);
  Adder out;
  if (head > from) out.add(sum_raw(block, from, head));
  for (std::int64_t at = head; at < tail; at += kStrideSamples) {
    out.add(tail_strides_[static_cast<std::size_t>((at - sealed) / kStrideSamples)]);
  }
  if (to > tail) out.add(sum_raw(block, tail, to));
  return out.result();
}

CellSum StoredTrace::sum(const Block& block, std::int64_t from, std::int64_t to) const {
  const Store& store = stores_[index_of(block)];
  const std::int64_t in_chunks = std::min(to, store.sealed);
  Adder out;
  if (from < in_chunks) {
    const std::int64_t first = from / kChunkSamples, last = (in_chunks - 1) / kChunkSamples;
    const auto piece = [&](std::int64_t chunk, std::int64_t a, std::int64_t b) {
      const std::int64_t base = chunk * kChunkSamples;
      out.add(sum_in_chunk(block, store.first_chunk + static_cast<std::size_t>(chunk), base,
                           a - base, b - base));
    };
    if (first == last) {
      piece(first, from, in_chunks);
    } else {
      piece(first, from, (first + 1) * kChunkSamples);
      if (last > first + 1) {
        const Chunk& a = chunks_[store.first_chunk + static_cast<std::size_t>(first + 1)];
        const Chunk& b = chunks_[store.first_chunk + static_cast<std::size_t>(last)];
        Sum q = b.q_before, r = b.r_before;
        q -= a.q_before;
        r -= a.r_before;
        out.integrals(q, r);
        for (std::int64_t i = first + 1; i < last; ++i) {
          out.extremes(chunks_[store.first_chunk + static_cast<std::size_t>(i)].sum);
        }
      }
      piece(last, last * kChunkSamples, in_chunks);
    }
  }
  if (to > store.sealed) out.add(sum_tail(block, std::max(from, store.sealed), to));
  return out.result();
}

}  // namespace kuvio::book
