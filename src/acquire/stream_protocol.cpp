// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/stream_protocol.h"

#include "book/chunk.h"
#include "book/text.h"
#include "core/special_value.h"

#include <array>
#include <cmath>
#include <cstring>
#include <optional>
#include <span>

namespace kuvio::acquire {
namespace {

/// What a channel's quantity is on the wire, counted from 1.
constexpr std::array kQuantities{Quantity::current, Quantity::voltage, Quantity::logic};

constexpr std::string_view kMagic = "KVST";
constexpr std::size_t kHead = 12, kCheck = 4;
constexpr std::uint8_t kVersion = 1;
constexpr std::uint8_t kHeader = 1, kSamples = 2, kMessage = 3, kTime = 4, kAskTime = 5;
constexpr std::size_t kMostChannels = 16, kMostLines = 24;

/// Little-endian fields, one after the other; `ok` is false once something was not there.
class Fields {
public:
  explicit Fields(std::string_view data) : data_(data) {}
  bool ok() const { return ok_; }
  std::string_view rest() const { return data_; }

  template <typename T>
  T number() {
    std::uint64_t bits = 0;
    const std::string_view raw = bytes(sizeof(T));
    for (std::size_t i = 0; i < raw.size(); ++i)
      bits |= static_cast<std::uint64_t>(static_cast<unsigned char>(raw[i])) << (8 * i);
    if constexpr (std::is_floating_point_v<T>) {
      double value = 0;
      std::memcpy(&value, &bits, sizeof value);
      return value;
    } else {
      return static_cast<T>(bits);
    }
  }
  std::string text() { return std::string(bytes(number<std::uint8_t>())); }
  std::string_view bytes(std::size_t n) {
    if (!ok_ || data_.size() < n) {
      ok_ = false;
      return {};
    }
    const std::string_view out = data_.substr(0, n);
    data_.remove_prefix(n);
    return out;
  }

private:
  std::string_view data_;
  bool ok_ = true;
};

std::size_t width_of(StreamFormat format) {
  return format == StreamFormat::int16 ? 2 : format == StreamFormat::int24 ? 3 : 4;
}

std::uint32_t checksum(std::string_view bytes) {
  return book::crc32(std::as_bytes(std::span(bytes.data(), bytes.size())));
}

std::int32_t code_at(const char* at, StreamFormat format) {
  const auto byte = [&](int i) {
    return static_cast<std::uint32_t>(static_cast<unsigned char>(at[i]));
  };
  switch (format) {
    case StreamFormat::int16:
      return static_cast<std::int16_t>(byte(0) | byte(1) << 8);
    case StreamFormat::int24:  // shifted up, so that the sign comes along
      return static_cast<std::int32_t>(byte(0) << 8 | byte(1) << 16 | byte(2) << 24) >> 8;
    default:
      return static_cast<std::int32_t>(byte(0) | byte(1) << 8 | byte(2) << 16 | byte(3) << 24);
  }
}

double value_at(const char* at, StreamFormat format, const StreamChannel& c) {
  if (format == StreamFormat::float32) {
    float v = 0;
    const std::int32_t bits = code_at(at, format);
    std::memcpy(&v, &bits, sizeof v);
    const double value = static_cast<double>(v);
    return flag_of_value(value) ? standard_value(value, c.gain) : c.gain * value + c.offset;
  }
  const std::int32_t code = code_at(at, format);
  if (c.quantity == Quantity::logic) return static_cast<double>(code & 0xffffff);
  // With a negative gain the lowest code is the largest value.
  if (c.lowest != c.highest && code <= c.lowest) return c.gain < 0 ? kOverRange : kBelowRange;
  if (c.lowest != c.highest && code >= c.highest) return c.gain < 0 ? kBelowRange : kOverRange;
  return c.gain * code + c.offset;
}

}  // namespace

void StreamDecoder::take(std::string_view bytes) {
  in_.append(bytes);
  std::size_t at = 0;
  while (true) {
    at = in_.find(kMagic, at);
    if (at == std::string::npos) {
      // The beginning of a magic word may stand at the end.
      at = in_.size() < kMagic.size() ? 0 : in_.size() - kMagic.size() + 1;
      break;
    }
    std::size_t used = frame_at(at);
    if (used == 0) {  // more of it must come first, unless its length is wrong
      const std::size_t whole = whole_frame_after(at);
      if (whole == std::string::npos) break;
      ++garbled_;
      used = whole - at;
    }
    at += used;
  }
  in_.erase(0, at);
}

/// Where a whole frame, right by its checksum, stands inside one that is still waited for: then
/// that one's length is wrong. npos: nowhere.
std::size_t StreamDecoder::whole_frame_after(std::size_t at) const {
  const std::string_view in = in_;
  for (std::size_t next = in.find(kMagic, at + kMagic.size()); next != std::string::npos;
       next = in.find(kMagic, next + 1)) {
    if (in.size() - next < kHead + kCheck) break;
    Fields head(in.substr(next + kMagic.size(), 4));
    const auto version = head.number<std::uint8_t>();
    const auto type = head.number<std::uint8_t>();
    const std::size_t length = head.number<std::uint16_t>();
    if (version != kVersion || type < kHeader || type > kAskTime) continue;
    if (in.size() - next < kHead + length + kCheck) continue;
    Fields tail(in.substr(next + kHead + length, kCheck));
    if (tail.number<std::uint32_t>() ==
        checksum(in.substr(next + kMagic.size(), kHead - kMagic.size() + length)))
      return next;
  }
  return std::string::npos;
}

/// Bytes to go on by: of a whole frame, or past the magic word of one that is none; 0 to wait.
std::size_t StreamDecoder::frame_at(std::size_t at) {
  if (in_.size() - at < kHead) return 0;
  Fields head(std::string_view(in_).substr(at + kMagic.size(), kHead - kMagic.size()));
  const auto version = head.number<std::uint8_t>();
  const auto type = head.number<std::uint8_t>();
  const auto length = head.number<std::uint16_t>();
  const auto sequence = head.number<std::uint32_t>();
  if (version != kVersion || type < kHeader || type > kAskTime) {
    ++garbled_;
    return kMagic.size();
  }
  if (in_.size() - at < kHead + length + kCheck) return 0;
  const std::string_view covered =
      std::string_view(in_).substr(at + kMagic.size(), kHead - kMagic.size() + length);
  Fields tail(std::string_view(in_).substr(at + kHead + length, kCheck));
  if (tail.number<std::uint32_t>() != checksum(covered)) {
    ++garbled_;
    return kMagic.size();
  }
  if (has_sequence_) {
    const std::uint32_t skipped = sequence - sequence_ - 1;
    if (skipped < 0x80000000U) missing_ += skipped;  // else an old one came again
  }
  sequence_ = sequence;
  has_sequence_ = true;
  ++frames_;
  const std::string payload(std::string_view(in_).substr(at + kHead, length));
  if (!accept(type, payload)) ++garbled_;
  return kHead + length + kCheck;
}

bool StreamDecoder::accept(std::uint8_t type, std::string_view payload) {
  if (type == kHeader) return read_header(payload);
  if (type == kSamples)
    return !has_header_ || read_samples(payload);  // before it: unknown, not bad
  if (type == kMessage) {
    if (message) message(std::string(payload));
    return true;
  }
  Fields f(payload);
  const auto nonce = f.number<std::uint64_t>();
  if (type != kTime) return type == kAskTime && f.ok();
  const auto sample = f.number<std::uint64_t>();
  if (!f.ok()) return false;
  if (time) time({nonce, sample});
  return true;
}

bool StreamDecoder::read_header(std::string_view payload) {
  Fields f(payload);
  StreamHeader h;
  h.session = f.number<std::uint32_t>();
  h.interval.num = f.number<std::uint32_t>();
  h.interval.den = f.number<std::uint32_t>();
  const auto count = f.number<std::uint8_t>();
  const auto format = f.number<std::uint8_t>();
  f.number<std::uint16_t>();  // reserved
  h.identity = f.text();
  if (!f.ok() || count < 1 || count > kMostChannels || format < 1 || format > 4 ||
      h.interval.num <= 0 || h.interval.den <= 0)
    return false;
  h.format = static_cast<StreamFormat>(format);
  for (int i = 0; i < count; ++i) {
    StreamChannel c;
    const auto quantity = f.number<std::uint8_t>();  // from 1: kQuantities
    c.instant = f.number<std::uint8_t>() != 0;
    c.name = f.text();
    c.accuracy = f.text();
    c.gain = f.number<double>();
    c.offset = f.number<double>();
    c.lowest = f.number<std::int32_t>();
    c.highest = f.number<std::int32_t>();
    const auto lines = f.number<std::uint8_t>();
    if (!f.ok() || quantity < 1 || quantity > kQuantities.size() || lines > kMostLines ||
        !std::isfinite(c.gain) || !std::isfinite(c.offset) || c.name.empty())
      return false;
    c.quantity = kQuantities[quantity - 1];
    for (int line = 0; line < lines; ++line) c.lines.push_back(f.text());
    h.channels.push_back(std::move(c));
  }
  if (!f.ok()) return false;
  header_ = h;
  has_header_ = true;
  if (header) header(header_);
  return true;
}

bool StreamDecoder::read_samples(std::string_view payload) const {
  Fields f(payload);
  StreamSamples s;
  s.first = f.number<std::uint64_t>();
  const std::size_t count = f.number<std::uint16_t>();
  const auto flags = f.number<std::uint8_t>();
  f.number<std::uint8_t>();  // reserved
  const std::size_t width = width_of(header_.format), channels = header_.channels.size();
  if (!f.ok() || f.rest().size() != count * channels * width || s.first > (1ULL << 60))
    return false;
  s.range_change = (flags & 2) != 0;
  s.overflowed = (flags & 4) != 0;
  s.columns.resize(channels);
  for (auto& column : s.columns) column.reserve(count);
  const char* at = f.rest().data();
  for (std::size_t i = 0; i < count; ++i) {
    for (std::size_t c = 0; c < channels; ++c, at += width) {
      s.columns[c].push_back(s.range_change && header_.channels[c].quantity != Quantity::logic
                                 ? kRangeChange
                                 : value_at(at, header_.format, header_.channels[c]));
    }
  }
  if (samples && count > 0) samples(std::move(s));
  return true;
}

std::string stream_time_question(std::uint64_t nonce, std::uint32_t sequence) {
  std::string out(kMagic);
  const auto put = [&](std::uint64_t value, int bytes) {
    for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xff);
  };
  put(kVersion, 1);
  put(kAskTime, 1);
  put(8, 2);
  put(sequence, 4);
  put(nonce, 8);
  put(checksum(std::string_view(out).substr(kMagic.size())), 4);
  return out;
}

}  // namespace kuvio::acquire
