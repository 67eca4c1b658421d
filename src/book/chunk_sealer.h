// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/packing.h"

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace kuvio::book {

/// A stretch of samples that becomes a chunk, and what becomes of it.
struct ChunkPiece {
  SampleKind kind = SampleKind::instant;
  Encoding encoding = Encoding::f8;
  std::span<const double> values;
  const double* next = nullptr;     ///< the sample after them, null where the segment ends
  std::vector<std::int64_t> times;  ///< of each and of what follows; empty where evenly spaced
  std::optional<Lattice> lattice;   ///< what held before; afterwards what holds

  SealedChunk sealed;
  Packed samples, packed_times;
};

/// Seals and packs pieces, several at a time where it may. Keeps its working memory.
class ChunkSealer {
public:
  /// At most so many threads, the caller's among them.
  explicit ChunkSealer(unsigned most_threads) : packers_(most_threads) {}
  void seal(std::span<ChunkPiece> pieces);

private:
  std::vector<Packer> packers_;  // by thread
};

}  // namespace kuvio::book
