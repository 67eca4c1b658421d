// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/chunk.h"

#include "book/schema.h"

#include <libdeflate.h>

#include <algorithm>
#include <bit>
#include <cstring>

namespace kuvio::book {

static_assert(std::endian::native == std::endian::little, "blobs are little-endian");

namespace {

template <typename T>
void put(Bytes& out, T value) {
  const auto at = out.size();
  out.resize(at + sizeof(T));
  std::memcpy(out.data() + at, &value, sizeof(T));
}

template <typename T>
T get(const std::byte*& at) {
  T value;
  std::memcpy(&value, at, sizeof(T));
  at += sizeof(T);
  return value;
}

}  // namespace

std::size_t bytes_per_sample(Encoding encoding) { return encoding == Encoding::f4 ? 4 : 8; }
const char* to_string(Encoding encoding) { return encoding == Encoding::f4 ? "f4" : "f8"; }

Bytes encode(std::span<const double> values, Encoding encoding) {
  Bytes out(values.size() * bytes_per_sample(encoding));
  if (encoding == Encoding::f8) {
    std::memcpy(out.data(), values.data(), out.size());
  } else {
    std::byte* at = out.data();
    for (const double v : values) {
      const auto f = static_cast<float>(v);
      std::memcpy(at, &f, 4);
      at += 4;
    }
  }
  return out;
}

void decode(std::span<const std::byte> data, Encoding encoding, std::span<double> out) {
  if (encoding == Encoding::f8) {
    std::memcpy(out.data(), data.data(), out.size() * 8);
    return;
  }
  const std::byte* at = data.data();
  for (double& v : out) v = get<float>(at);
}

Bytes encode_ticks(std::span<const std::int64_t> ticks) {
  Bytes out(ticks.size() * 8);
  std::memcpy(out.data(), ticks.data(), out.size());
  return out;
}

void decode_ticks(std::span<const std::byte> data, std::span<std::int64_t> out) {
  std::memcpy(out.data(), data.data(), out.size() * 8);
}

// libdeflate's is several times as fast as zlib's, and every sample goes through it.
std::uint32_t crc32(std::span<const std::byte> data, std::uint32_t before) {
  return data.empty() ? before : libdeflate_crc32(before, data.data(), data.size());
}

Bytes encode_strides(std::span<const StrideNode> nodes) {
  Bytes out;
  out.reserve(nodes.size() * kStrideNodeBytes);
  for (const StrideNode& n : nodes) {
    for (const double d : {n.sum.lo, n.sum.hi, n.sum.q, n.sum.r}) put(out, d);
    put(out, n.crc);
    put(out, n.samples);
  }
  return out;
}

std::vector<StrideNode> decode_strides(std::span<const std::byte> data) {
  std::vector<StrideNode> out(data.size() / kStrideNodeBytes);
  const std::byte* at = data.data();
  for (StrideNode& n : out) {
    for (double* d : {&n.sum.lo, &n.sum.hi, &n.sum.q, &n.sum.r}) *d = get<double>(at);
    n.crc = get<std::uint32_t>(at);
    n.samples = get<std::uint32_t>(at);
  }
  return out;
}

Bytes encode_coarse(std::span<const CellSum> nodes) {
  Bytes out;
  for (const CellSum& n : nodes) {
    for (const double d : {n.lo, n.hi, n.q, n.r}) put(out, d);
  }
  return out;
}

std::vector<CellSum> decode_coarse(std::span<const std::byte> data) {
  std::vector<CellSum> out(data.size() / kCoarseNodeBytes);
  const std::byte* at = data.data();
  for (CellSum& n : out) {
    for (double* d : {&n.lo, &n.hi, &n.q, &n.r}) *d = get<double>(at);
  }
  return out;
}

SealedChunk seal(SampleKind kind, Encoding encoding, std::span<const double> values,
                 const double* next, std::span<const std::int64_t> times) {
  SealedChunk out;
  // The bytes that are stored, or would be if they were not packed.
  const Bytes narrow = encoding == Encoding::f8 ? Bytes{} : encode(values, encoding);
  const std::span<const std::byte> bytes =
      encoding == Encoding::f8 ? std::as_bytes(values) : std::span<const std::byte>(narrow);
  const std::size_t n = values.size(), width = bytes_per_sample(encoding);
  std::vector<StrideNode> nodes;
  std::vector<CellSum> coarse;
  for (std::size_t at = 0; at < n; at += kStrideSamples) {
    const std::size_t count = std::min<std::size_t>(kStrideSamples, n - at);
    const double* after = at + count < n ? &values[at + count] : next;
    StrideNode node;
    node.sum = sum_cells(kind, values.subspan(at, count), after,
                         times.empty() ? times : times.subspan(at, count + 1));
    node.samples = static_cast<std::uint32_t>(count);
    node.crc = crc32(bytes.subspan(at * width, count * width));
    if (at % kCoarseSamples == 0) {
      coarse.push_back(node.sum);
    } else {
      accumulate(coarse.back(), node.sum);
    }
    nodes.push_back(node);
  }
  out.sum = coarse.front();
  for (std::size_t i = 1; i < coarse.size(); ++i) accumulate(out.sum, coarse[i]);
  out.strides = encode_strides(nodes);
  out.strides_crc = crc32(out.strides);
  out.coarse = encode_coarse(coarse);
  if (!times.empty()) {
    out.times = encode_ticks(times.first(n));
    out.times_crc = crc32(out.times);
  }
  return out;
}

}  // namespace kuvio::book
