// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "book/read_cache.h"
#include "core/compensated_sum.h"
#include "core/trace.h"

namespace kuvio::book {

/// A channel's samples as they are stored, on the input's own time and uncalibrated: a snapshot of
/// what was recorded when it was made or last grew. ChannelTrace is what they mean.
///
/// Keeps one summary per chunk and one coarse node per 4096 samples in memory; strides and samples
/// are read through the book's bounded cache, each checked against its CRC. Any span's figures cost
/// at most two chunks' strides and a few frames of samples. For the thread that owns the book's
/// connection. Throws Error bad_data that names the chunk when what is read is damaged.
class StoredTrace : public Trace {
public:
  StoredTrace(const Book& book, const ChannelInfo& channel);

  /// Takes in what was recorded since, at the cost of that alone. `now` is the same channel. After
  /// an Error nothing but the destructor may be called.
  void grow(const ChannelInfo& now);

  SampleKind kind() const override { return info_.kind; }
  TimeBase time_base() const override { return info_.time_base; }
  std::span<const Block> blocks() const override { return blocks_; }
  std::span<const FlagRun> flags() const override { return flags_; }
  void read(const Block& block, std::int64_t at, std::span<double> out) const override;
  void read_times(const Block& block, std::int64_t at, std::span<std::int64_t> out) const override;
  CellSum sum(const Block& block, std::int64_t from, std::int64_t to) const override;
  Extremes extremes(const Block& block, std::int64_t from, std::int64_t to,
                    Effort effort) const override;

  const ChannelInfo& info() const { return info_; }

  /// What was fetched from the file so far; a span over a whole capture fetches no interior
  /// samples.
  struct Fetched {
    std::int64_t sample_frames = 0, stride_blobs = 0;
    std::vector<std::int64_t> sample_chunks;  ///< ordinals of the chunks whose samples were read
  };
  const Fetched& fetched() const { return fetched_; }

private:
  struct Chunk {
    std::int64_t id = 0, samples = 0;
    CellSum sum;
    std::vector<CellSum> coarse;
    std::uint32_t strides_crc = 0, times_crc = 0;
    std::optional<PackedHead> packed, packed_times;
    mutable std::optional<std::int64_t> first_tick;  // once it was asked for
    Sum q_before, r_before;                          // of the chunks before it in its block
  };
  struct Store {  // where a block's samples are
    std::size_t first_chunk = 0, chunks = 0;
    std::int64_t sealed = 0;  // samples in chunks; what follows is in the tail
  };

  void load();
  void load_segments();
  void load_chunks();
  bool times_make_sense(std::span<const std::int64_t> times) const;
  void load_tail();
  void load_flags();
  [[noreturn]] void damaged(const std::string& what) const;
  std::size_t index_of(const Block& block) const;
  const std::vector<StrideNode>& strides(std::size_t chunk) const;
  bool has_strides(std::size_t chunk) const;
  const std::vector<std::int64_t>& chunk_times(std::size_t chunk) const;
  std::int64_t first_tick(std::size_t chunk) const;
  const ReadCache::Frame& frame(std::size_t chunk, std::size_t number) const;
  void check(std::size_t chunk, std::size_t number, std::size_t first_stride,
             std::size_t last_stride) const;
  void read_chunk(std::size_t chunk, std::int64_t at, std::span<double> out) const;
  CellSum sum_in_chunk(const Block& block, std::size_t chunk, std::int64_t base, std::int64_t from,
                       std::int64_t to) const;
  class Known;
  void extremes_in_chunk(std::size_t chunk, std::int64_t from, std::int64_t to, Effort effort,
                         Known& known) const;
  CellSum sum_raw(const Block& block, std::int64_t from, std::int64_t to) const;
  CellSum sum_tail(const Block& block, std::int64_t from, std::int64_t to) const;

  const Database& db_;
  ChannelInfo info_;
  std::vector<Block> blocks_;
  std::vector<Store> stores_;
  std::vector<Chunk> chunks_;
  std::vector<FlagRun> flags_;
  std::vector<double> tail_;
  std::vector<std::int64_t> tail_times_;
  std::vector<CellSum> tail_strides_;

  ReadCache& cache_;
  std::uint64_t owner_;
  bool can_be_packed_;
  mutable Fetched fetched_;
};

}  // namespace kuvio::book
