// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/chunk_sealer.h"

#include <algorithm>
#include <atomic>
#include <future>

namespace kuvio::book {
namespace {

void seal_piece(ChunkPiece& piece, Packer& packer) {
  piece.sealed = seal(piece.kind, piece.encoding, piece.values, piece.next, piece.times);
  piece.samples = packer.samples(piece.values, piece.encoding, piece.lattice);
  if (!piece.times.empty())
    piece.packed_times = packer.times(std::span(piece.times).first(piece.values.size()));
}

}  // namespace

void ChunkSealer::seal(std::span<ChunkPiece> pieces) {
  std::atomic<std::size_t> next = 0;
  const auto work = [&](Packer& packer) {
    for (std::size_t i = next++; i < pieces.size(); i = next++) seal_piece(pieces[i], packer);
  };
  std::vector<std::future<void>> others;
  for (std::size_t t = 1; t < std::min(packers_.size(), pieces.size()); ++t)
    others.push_back(std::async(std::launch::async, work, std::ref(packers_[t])));
  work(packers_.front());
  for (auto& other : others) other.get();
}

}  // namespace kuvio::book
