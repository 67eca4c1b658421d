// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <boost/lockfree/spsc_queue.hpp>

#include <atomic>
#include <cstdint>
#include <memory>
#include <vector>

namespace kuvio::acquire {

/// Consecutive samples as they came; special values not yet sorted out.
struct Packet {
  std::int64_t index = 0;     ///< number of the first sample, counted by the instrument
  std::vector<float> values;  ///< current (A)
  std::vector<float> volts;   ///< voltage (V) of the same samples; empty when it is not recorded
  std::vector<float> logic;   ///< state of the digital lines, a bit each; empty likewise
};

/// Lock-free ring between one input thread and the recorder. Bounded in samples: an input whose
/// ring is full leaves the samples with the instrument and tries again; what the instrument then
/// loses it reports.
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
    held_.fetch_add(packet.values.size(), std::memory_order_acq_rel);
    queue_.push(new Packet(std::move(packet)));
  }
  /// Null when empty.
  std::unique_ptr<Packet> pop() {
    Packet* raw = nullptr;
    if (!queue_.pop(raw)) return nullptr;
    held_.fetch_sub(raw->values.size(), std::memory_order_acq_rel);
    return std::unique_ptr<Packet>(raw);
  }

private:
  std::size_t max_samples_;
  std::atomic<std::size_t> held_{0};
  boost::lockfree::spsc_queue<Packet*, boost::lockfree::capacity<4096>> queue_;
};

}  // namespace kuvio::acquire
