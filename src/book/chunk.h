// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/encoding.h"
#include "core/trace.h"

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace kuvio::book {

using Bytes = std::vector<std::byte>;

Bytes encode(std::span<const double> values, Encoding encoding);
void decode(std::span<const std::byte> data, Encoding encoding, std::span<double> out);
Bytes encode_ticks(std::span<const std::int64_t> ticks);
void decode_ticks(std::span<const std::byte> data, std::span<std::int64_t> out);

/// CRC-32 (IEEE 802.3, as zlib's).
/// `before`: of what came in front of it.
std::uint32_t crc32(std::span<const std::byte> data, std::uint32_t before = 0);

/// One node of the pyramid in a blob: lo, hi, q, r (8 bytes each), then the CRC-32 of its samples'
/// bytes and the number of samples (4 bytes each), all little-endian.
struct StrideNode {
  CellSum sum;
  std::uint32_t crc = 0;
  std::uint32_t samples = 0;
};
inline constexpr std::size_t kStrideNodeBytes = 40;
inline constexpr std::size_t kCoarseNodeBytes = 32;  ///< lo, hi, q, r

Bytes encode_strides(std::span<const StrideNode> nodes);
std::vector<StrideNode> decode_strides(std::span<const std::byte> data);
Bytes encode_coarse(std::span<const CellSum> nodes);
std::vector<CellSum> decode_coarse(std::span<const std::byte> data);

/// A chunk's sums and checksums, ready to be stored beside its samples.
struct SealedChunk {
  Bytes strides, times, coarse;
  CellSum sum;
  std::uint32_t strides_crc = 0, times_crc = 0;
};

/// Seals up to 65 536 samples. `next` is the sample after them in the same segment, or null at its
/// end; `times` is empty for uniform segments, else one tick per value and the tick of what
/// follows.
SealedChunk seal(SampleKind kind, Encoding encoding, std::span<const double> values,
                 const double* next, std::span<const std::int64_t> times);

}  // namespace kuvio::book
