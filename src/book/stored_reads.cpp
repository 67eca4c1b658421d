// SPDX-License-Identifier: GPL-3.0-or-later
// How a StoredTrace fetches strides, samples and times, through the book's cache.

#include "book/schema.h"
#include "book/sqlite.h"
#include "book/stored_trace.h"

#include <algorithm>
#include <array>

namespace kuvio::book {

bool StoredTrace::has_strides(std::size_t chunk) const {
  return cache_.strides.has(ReadCache::key(owner_, chunk));
}

const std::vector<StrideNode>& StoredTrace::strides(std::size_t chunk) const {
  const std::uint64_t key = ReadCache::key(owner_, chunk);
  if (auto* hit = cache_.strides.find(key)) return *hit;
  const Chunk& c = chunks_[chunk];
  const auto nodes = static_cast<std::size_t>((c.samples + kStrideSamples - 1) / kStrideSamples);
  Bytes data(nodes * kStrideNodeBytes);
  db_.read_blob("chunk_strides", "data", c.id, 0, data);
  if (crc32(data) != c.strides_crc)
    damaged("strides of chunk " + std::to_string(c.id) + " are damaged");
  ++fetched_.stride_blobs;
  return cache_.strides.put(key, decode_strides(data), nodes * sizeof(StrideNode) + 128);
}

const std::vector<std::int64_t>& StoredTrace::chunk_times(std::size_t chunk) const {
  const std::uint64_t key = ReadCache::key(owner_, chunk);
  if (auto* hit = cache_.times.find(key)) return *hit;
  const Chunk& c = chunks_[chunk];
  const auto n = static_cast<std::size_t>(c.samples);
  std::vector<std::int64_t> times(n);
  const auto wrong = [&] { damaged("times of chunk " + std::to_string(c.id) + " are damaged"); };
  if (c.packed_times) {
    const PackedHead& head = *c.packed_times;
    Bytes data(head.ends.back());
    db_.read_blob("chunk_times", "data", c.id, 0, data);
    for (std::size_t f = 0; f < head.ends.size(); ++f) {
      const std::size_t first = f * kFrameSamples;
      if (!cache_.unpacker.times(
              std::span(data).subspan(head.begin(f), head.ends[f] - head.begin(f)),
              std::span(times).subspan(first, std::min<std::size_t>(kFrameSamples, n - first))))
        wrong();
    }
  } else {
    Bytes data(n * 8);
    db_.read_blob("chunk_times", "data", c.id, 0, data);
    decode_ticks(data, times);
  }
  if (crc32(std::as_bytes(std::span(times))) != c.times_crc || !times_make_sense(times)) wrong();
  c.first_tick = times.front();
  return cache_.times.put(key, std::move(times), n * 8 + 128);
}

/// Of one moment a chunk: what a search over many chunks asks, so that it unpacks the last alone.
std::int64_t StoredTrace::first_tick(std::size_t chunk) const {
  const Chunk& c = chunks_[chunk];
  if (c.first_tick) return *c.first_tick;
  const auto wrong = [&] { damaged("times of chunk " + std::to_string(c.id) + " are damaged"); };
  std::vector<std::int64_t> first(
      static_cast<std::size_t>(c.packed_times ? std::min(kFrameSamples, c.samples) : 1));
  Bytes data(c.packed_times ? c.packed_times->ends.front() : 8);
  db_.read_blob("chunk_times", "data", c.id, 0, data);
  if (!c.packed_times) {
    decode_ticks(data, first);
  } else if (!cache_.unpacker.times(data, first)) {
    wrong();
  }
  if (!times_make_sense(first)) wrong();
  c.first_tick = first.front();
  return first.front();
}

/// Its samples as they came, unchecked.
const ReadCache::Frame& StoredTrace::frame(std::size_t chunk, std::size_t number) const {
  const std::uint64_t key = ReadCache::key(owner_, chunk, number);
  if (auto* hit = cache_.frames.find(key)) return *hit;
  const Chunk& c = chunks_[chunk];
  const std::int64_t first = static_cast<std::int64_t>(number) * kFrameSamples;
  ReadCache::Frame out;
  out.values.resize(static_cast<std::size_t>(std::min(kFrameSamples, c.samples - first)));
  const std::size_t width = bytes_per_sample(info_.encoding);
  Bytes raw;
  if (c.packed) {
    const std::uint32_t begin = c.packed->begin(number);
    raw.resize(c.packed->ends[number] - begin);
    db_.read_blob("chunk_samples", "data", c.id, begin, raw);
    if (!cache_.unpacker.samples(*c.packed, info_.encoding, raw, out.values))
      damaged("samples of chunk " + std::to_string(c.id) + " are damaged");
  } else {
    raw.resize(out.values.size() * width);
    db_.read_blob("chunk_samples", "data", c.id, first * static_cast<std::int64_t>(width), raw);
    decode(raw, info_.encoding, out.values);
  }
  ++fetched_.sample_frames;
  auto& list = fetched_.sample_chunks;
  if (list.size() < 1000 &&
      std::find(list.begin(), list.end(), static_cast<std::int64_t>(chunk)) == list.end()) {
    list.push_back(static_cast<std::int64_t>(chunk));
  }
  const std::size_t bytes = out.values.size() * 8 + 128;
  return cache_.frames.put(key, std::move(out), bytes);
}

/// Holds strides [first, last] of a frame (counted within it) against their CRCs, once.
void StoredTrace::check(std::size_t chunk, std::size_t number, std::size_t first_stride,
                        std::size_t last_stride) const {
  const std::uint64_t key = ReadCache::key(owner_, chunk, number);
  ReadCache::Frame& frame = *cache_.frames.find(key);
  const std::uint32_t wanted = ((2u << last_stride) - 1) & ~((1u << first_stride) - 1);
  if ((frame.checked & wanted) == wanted) return;
  const auto& nodes = strides(chunk);
  constexpr std::size_t kIn = kFrameSamples / kStrideSamples;
  std::array<float, kStrideSamples> floats;
  for (std::size_t s = first_stride; s <= last_stride; ++s) {
    if (frame.checked >> s & 1) continue;
    const std::span<const double> values = std::span(frame.values).subspan(s * kStrideSamples);
    const std::size_t n = std::min<std::size_t>(kStrideSamples, values.size());
    std::span<const std::byte> bytes = std::as_bytes(values.first(n));
    if (info_.encoding == Encoding::f4) {
      for (std::size_t i = 0; i < n; ++i) floats[i] = static_cast<float>(values[i]);
      bytes = std::as_bytes(std::span(floats).first(n));
    }
    if (crc32(bytes) != nodes[number * kIn + s].crc)
      damaged("samples of chunk " + std::to_string(chunks_[chunk].id) + " are damaged");
    frame.checked |= 1u << s;
  }
}

void StoredTrace::read_chunk(std::size_t chunk, std::int64_t at, std::span<double> out) const {
  while (!out.empty()) {
    const auto number = static_cast<std::size_t>(at / kFrameSamples);
    const auto within = static_cast<std::size_t>(at % kFrameSamples);
    const ReadCache::Frame& f = frame(chunk, number);
    const std::size_t n = std::min(out.size(), f.values.size() - within);
    check(chunk, number, within / kStrideSamples, (within + n - 1) / kStrideSamples);
    std::copy_n(f.values.begin() + static_cast<std::ptrdiff_t>(within), n, out.begin());
    out = out.subspan(n);
    at += static_cast<std::int64_t>(n);
  }
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
  while (!out.empty()) {
    std::size_t n = out.size();
    if (at >= store.sealed) {
      std::copy_n(tail_times_.begin() + (at - store.sealed), n, out.begin());
    } else {
      const auto chunk = store.first_chunk + static_cast<std::size_t>(at / kChunkSamples);
      const std::int64_t within = at % kChunkSamples;
      n = std::min(n, static_cast<std::size_t>(chunks_[chunk].samples - within));
      if (within == 0 && n == 1) {
        out.front() = first_tick(chunk);
      } else {
        std::copy_n(chunk_times(chunk).begin() + within, n, out.begin());
      }
    }
    at += static_cast<std::int64_t>(n);
    out = out.subspan(n);
  }
}

}  // namespace kuvio::book
