// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/chunk.h"
#include "book/packing.h"

#include <list>
#include <unordered_map>

namespace kuvio::book {

/// The most recently used values whose sizes together stay within a budget; at least one.
template <typename Value>
class Lru {
public:
  explicit Lru(std::size_t budget) : budget_(budget) {}

  /// Null when it is not there; else it counts as used now.
  Value* find(std::uint64_t key) {
    const auto it = where_.find(key);
    if (it == where_.end()) return nullptr;
    order_.splice(order_.begin(), order_, it->second);
    return &it->second->value;
  }
  bool has(std::uint64_t key) const { return where_.count(key) > 0; }
  /// `bytes`: what it takes. The reference holds until the next `put`.
  Value& put(std::uint64_t key, Value value, std::size_t bytes) {
    order_.push_front({key, bytes, std::move(value)});
    where_[key] = order_.begin();
    held_ += bytes;
    while (held_ > budget_ && order_.size() > 1) {
      held_ -= order_.back().bytes;
      where_.erase(order_.back().key);
      order_.pop_back();
    }
    return order_.front().value;
  }

private:
  struct Entry {
    std::uint64_t key;
    std::size_t bytes;
    Value value;
  };
  std::size_t budget_, held_ = 0;
  std::list<Entry> order_;  // newest first
  std::unordered_map<std::uint64_t, typename std::list<Entry>::iterator> where_;
};

/// What the traces of one connection have read of the file, bounded for all of them together.
class ReadCache {
public:
  /// Samples of a frame; a bit of `checked` per stride whose CRC was found right.
  struct Frame {
    std::vector<double> values;
    std::uint32_t checked = 0;
  };

  /// For a trace's keys: no other trace has it, before or after.
  std::uint64_t new_owner() { return ++owners_; }
  static std::uint64_t key(std::uint64_t owner, std::size_t chunk, std::size_t frame = 0) {
    return owner << 40 | static_cast<std::uint64_t>(chunk) << 4 | frame;
  }

  Lru<Frame> frames{32u << 20};
  Lru<std::vector<StrideNode>> strides{24u << 20};
  Lru<std::vector<std::int64_t>> times{16u << 20};  ///< frames of them
  Unpacker unpacker;

private:
  std::uint64_t owners_ = 0;
};

}  // namespace kuvio::book
