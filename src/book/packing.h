// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/chunk.h"

#include <memory>
#include <optional>

namespace kuvio::book {

/// Packed samples lie in frames that are unpacked by themselves.
inline constexpr std::int64_t kFrameSamples = 4096;

/// What describes how a chunk's blob is packed; kept beside the chunk's sums.
struct PackedHead {
  enum class Form : std::uint8_t {
    numbers = 1,  ///< whole numbers of a lattice, 32 bits
    bits4 = 2,    ///< the bits of float32 (also of doubles that are no more than that)
    bits8 = 3,    ///< the bits of float64
    ticks = 4,    ///< int64 times
  };
  Form form = Form::numbers;
  Lattice lattice;
  std::vector<std::uint32_t> ends;  ///< where each frame ends in the blob

  std::uint32_t begin(std::size_t frame) const { return frame == 0 ? 0 : ends[frame - 1]; }
};

/// A blob and its head as stored. No head: the blob is as it was, packing did not pay.
struct Packed {
  Bytes head, data;
};

Bytes encode_head(const PackedHead& head);
/// Nothing when the bytes are no head of `samples` samples.
std::optional<PackedHead> decode_head(std::span<const std::byte> bytes, std::int64_t samples);

/// Packs chunks: differences of whole numbers, their bytes sorted by weight, zstd. Lossless to the
/// bit, else it leaves them alone. Holds zstd's working memory; for one thread.
class Packer {
public:
  Packer();
  ~Packer();
  Packer(Packer&&) noexcept;
  Packer& operator=(Packer&&) noexcept;

  /// `lattice`: what held for the channel's last chunk or is known of its instrument; set to what
  /// holds for this one.
  Packed samples(std::span<const double> values, Encoding encoding,
                 std::optional<Lattice>& lattice);
  Packed times(std::span<const std::int64_t> ticks);

private:
  struct Work;
  std::unique_ptr<Work> work_;
};

/// Unpacks frames. Holds zstd's working memory; for one thread.
class Unpacker {
public:
  Unpacker();
  ~Unpacker();
  Unpacker(Unpacker&&) noexcept;
  Unpacker& operator=(Unpacker&&) noexcept;

  /// False when the bytes are no such frame; `out` is as long as the frame has samples.
  bool samples(const PackedHead& head, Encoding encoding, std::span<const std::byte> frame,
               std::span<double> out);
  bool times(std::span<const std::byte> frame, std::span<std::int64_t> out);

private:
  struct Work;
  std::unique_ptr<Work> work_;
};

}  // namespace kuvio::book
