// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/time_base.h"

#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::acquire {

// The framed binary stream of shunt digitisers; docs/stream-protocol.md is its page, byte by byte.

enum class StreamFormat : std::uint8_t { int16 = 1, int24 = 2, int32 = 3, float32 = 4 };

struct StreamChannel {
  Quantity quantity = Quantity::current;  ///< current, voltage or logic
  bool instant = false;
  std::string name, accuracy;
  double gain = 1, offset = 0;           ///< SI value = gain * code + offset
  std::int32_t lowest = 0, highest = 0;  ///< codes at or beyond these are over range; 0 and 0: none
  std::vector<std::string> lines;        ///< of a logic word, from bit 0 up

  bool operator==(const StreamChannel&) const = default;
};

/// What a sender says of itself, once a second or so.
struct StreamHeader {
  std::uint32_t session = 0;  ///< another one: its sample numbers began again
  TimeBase interval{1, 1000};
  StreamFormat format = StreamFormat::int16;
  std::string identity;
  std::vector<StreamChannel> channels;

  bool operator==(const StreamHeader&) const = default;
};

struct StreamSamples {
  std::uint64_t first = 0;  ///< number of the first sample since the session began
  bool overflowed = false;  ///< the sender lost samples before these
  bool range_change = false;
  std::vector<std::vector<double>> columns;  ///< SI values; over-range codes as kOverRange
};

struct StreamTime {
  std::uint64_t nonce = 0;
  std::uint64_t sample = 0;  ///< samples taken when the question came
};

/// Cuts a byte stream into frames, checks them, and hands on what they say. Whatever comes, it
/// neither throws nor keeps more than one frame.
class StreamDecoder {
public:
  std::function<void(const StreamHeader&)> header;
  std::function<void(StreamSamples)> samples;
  std::function<void(const std::string&)> message;
  std::function<void(const StreamTime&)> time;

  void take(std::string_view bytes);

  /// Frames that came whole but with a wrong checksum, or that make no sense.
  std::int64_t garbled() const { return garbled_; }
  /// Frames that the sequence numbers say were sent and that did not come whole.
  std::int64_t missing() const { return missing_; }
  std::int64_t frames() const { return frames_; }

private:
  std::size_t frame_at(std::size_t at);
  std::size_t whole_frame_after(std::size_t at) const;
  bool accept(std::uint8_t type, std::string_view payload);
  bool read_header(std::string_view payload);
  bool read_samples(std::string_view payload) const;

  std::string in_;
  StreamHeader header_;
  bool has_header_ = false, has_sequence_ = false;
  std::uint32_t sequence_ = 0;
  std::int64_t garbled_ = 0, missing_ = 0, frames_ = 0;
};

/// The frame that asks a sender for its sample count.
std::string stream_time_question(std::uint64_t nonce, std::uint32_t sequence);

}  // namespace kuvio::acquire
