// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <boost/lockfree/spsc_queue.hpp>

#include <atomic>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// Consecutive samples of all channels of an input; special ones as core/special_value.h has them.
struct Packet {
  /// Number of the first sample, counted by the input from its start; of inputs whose samples have
  /// times of their own, meaningless.
  std::int64_t index = 0;
  std::vector<std::vector<double>> columns;  ///< one for each channel of the input, of one length
  std::vector<std::int64_t> times;  ///< ns on the input's own clock; empty for evenly spaced ones
  std::string why_lost;             ///< of the samples between the packet before and this one
  bool gap = false;                 ///< with times of their own: something is missing before it

  std::size_t samples() const { return columns.empty() ? 0 : columns.front().size(); }
};

/// Lock-free ring between one input thread and the recorder. Bounded in samples.
class SampleRing {
public:
  explicit SampleRing(std::size_t max_samples) : max_samples_(max_samples) {}
  ~SampleRing() {
    while (pop()) {
    }
  }
  SampleRing(const SampleRing&) = delete;
  SampleRing& operator=(const SampleRing&) = delete;

  bool has_room(std::size_t samples) const {
    return held_.load(std::memory_order_acquire) + samples <= max_samples_ &&
           queue_.write_available() > 0;
  }
  /// Requires has_room.
  void push(Packet packet) {
    held_.fetch_add(packet.samples(), std::memory_order_acq_rel);
    queue_.push(new Packet(std::move(packet)));
  }
  /// Null when empty.
  std::unique_ptr<Packet> pop() {
    Packet* raw = nullptr;
    if (!queue_.pop(raw)) return nullptr;
    held_.fetch_sub(raw->samples(), std::memory_order_acq_rel);
    return std::unique_ptr<Packet>(raw);
  }

private:
  std::size_t max_samples_;
  std::atomic<std::size_t> held_{0};
  boost::lockfree::spsc_queue<Packet*, boost::lockfree::capacity<16384>> queue_;
};

}  // namespace kuvio::acquire
