// SPDX-License-Identifier: GPL-3.0-or-later
// What a StoredTrace says of a span: sums and extremes out of the pyramid.

#include "book/schema.h"
#include "book/stored_trace.h"

#include <algorithm>
#include <array>

namespace kuvio::book {
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

}  // namespace

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

/// Extremes as they become known.
class StoredTrace::Known {
public:
  void add(double lo, double hi) {
    out.lo = any_ ? std::min(out.lo, lo) : lo;
    out.hi = any_ ? std::max(out.hi, hi) : hi;
    any_ = true;
  }
  void add(const CellSum& s) { add(s.lo, s.hi); }
  /// Nothing within `s` can change them.
  bool holds(const CellSum& s) const { return any_ && s.lo >= out.lo && s.hi <= out.hi; }

  Extremes out;

private:
  bool any_ = false;
};

/// From the largest nodes down. What is only touched is looked into if its own extremes reach
/// beyond what is known by then: coarse nodes first, then strides, samples last.
void StoredTrace::extremes_in_chunk(std::size_t chunk, std::int64_t from, std::int64_t to,
                                    Effort effort, Known& known) const {
  const Chunk& c = chunks_[chunk];
  if (from == 0 && to == c.samples) return known.add(c.sum);
  if (known.holds(c.sum)) return;
  // Strides of a short piece are worth a fetch even so: without them it would be wider by far.
  const bool far =
      effort == Effort::cached && !has_strides(chunk) && to - from > 2 * kCoarseSamples;
  struct Piece {
    std::int64_t from = 0, to = 0;
  };
  std::array<Piece, 2> coarse;
  std::size_t touched = 0;
  for (std::int64_t at = from; at < to;) {
    const std::int64_t node = at / kCoarseSamples,
                       end = std::min(c.samples, (node + 1) * kCoarseSamples);
    if (at == node * kCoarseSamples && end <= to) {
      known.add(c.coarse[static_cast<std::size_t>(node)]);
    } else {
      coarse[touched++] = {at, std::min(end, to)};
    }
    at = end;
  }
  std::array<Piece, 4> single;
  std::size_t singles = 0;
  for (std::size_t k = 0; k < touched; ++k) {
    const Piece p = coarse[k];
    const CellSum& whole = c.coarse[static_cast<std::size_t>(p.from / kCoarseSamples)];
    if (known.holds(whole)) continue;
    if (far) {
      known.add(whole);
      known.out.exact = false;
      continue;
    }
    const auto& nodes = strides(chunk);
    for (std::int64_t at = p.from; at < p.to;) {
      const std::int64_t node = at / kStrideSamples,
                         end = std::min(c.samples, (node + 1) * kStrideSamples);
      if (at == node * kStrideSamples && end <= p.to) {
        known.add(nodes[static_cast<std::size_t>(node)].sum);
      } else {
        single[singles++] = {at, std::min(end, p.to)};
      }
      at = end;
    }
  }
  for (std::size_t k = 0; k < singles; ++k) {
    const Piece p = single[k];
    const CellSum& whole = strides(chunk)[static_cast<std::size_t>(p.from / kStrideSamples)].sum;
    if (known.holds(whole)) continue;
    const auto number = static_cast<std::size_t>(p.from / kFrameSamples);
    if (effort == Effort::cached && !cache_.frames.has(ReadCache::key(owner_, chunk, number))) {
      known.add(whole);
      known.out.exact = false;
      continue;
    }
    const auto within = static_cast<std::size_t>(p.from % kFrameSamples);
    const ReadCache::Frame& f = frame(chunk, number);
    check(chunk, number, within / kStrideSamples, within / kStrideSamples);
    const auto samples =
        std::span(f.values).subspan(within, static_cast<std::size_t>(p.to - p.from));
    const Extremes range = extremes_of(samples);
    known.add(range.lo, range.hi);
  }
}

Extremes StoredTrace::extremes(const Block& block, std::int64_t from, std::int64_t to,
                               Effort effort) const {
  Known known;
  const Store& store = stores_[index_of(block)];
  const std::int64_t in_chunks = std::min(to, store.sealed);
  const auto chunk_of = [&](std::int64_t number) {
    return store.first_chunk + static_cast<std::size_t>(number);
  };
  // Whole chunks first, then the two that are only touched.
  const std::int64_t first = from / kChunkSamples,
                     last = in_chunks > from ? (in_chunks - 1) / kChunkSamples : first - 1;
  for (std::int64_t n = first + 1; n < last; ++n) known.add(chunks_[chunk_of(n)].sum);
  if (to > store.sealed) known.add(sum_tail(block, std::max(from, store.sealed), to));
  const auto touch = [&](std::int64_t n) {
    const std::int64_t base = n * kChunkSamples;
    extremes_in_chunk(chunk_of(n), std::max(from, base) - base,
                      std::min(in_chunks, base + kChunkSamples) - base, effort, known);
  };
  if (last >= first) touch(first);
  if (last > first) touch(last);
  return known.out;
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
