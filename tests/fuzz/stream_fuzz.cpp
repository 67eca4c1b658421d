// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: whatever bytes come over a stream, in whatever pieces. The input is taken as it is,
// and once more with its frames' checksums put right, so that what lies behind them is reached too.

#include "acquire/stream_protocol.h"
#include "book/chunk.h"

#include <cstdint>
#include <cstdlib>
#include <span>

using namespace kuvio::acquire;

namespace {

void decode(std::string_view bytes, std::size_t piece) {
  StreamDecoder decoder;
  std::int64_t samples = 0;
  decoder.header = [](const StreamHeader& h) {
    if (h.channels.empty() || h.interval.num <= 0 || h.interval.den <= 0) std::abort();
  };
  decoder.samples = [&](const StreamSamples& s) {
    for (const auto& column : s.columns) {
      if (column.size() != s.columns.front().size()) std::abort();
      samples += static_cast<std::int64_t>(column.size());
    }
  };
  decoder.message = [](const std::string& text) {
    if (text.size() > 65535) std::abort();
  };
  decoder.time = [](const StreamTime&) {};
  for (std::size_t at = 0; at < bytes.size(); at += piece) decoder.take(bytes.substr(at, piece));
  // No more can come out than went in: sixteen channels of two bytes at best.
  if (samples > static_cast<std::int64_t>(bytes.size())) std::abort();
}

/// Makes every "KVST" that stands in the input a frame with a right checksum, where it fits.
std::string repaired(std::string_view bytes) {
  std::string out(bytes);
  for (std::size_t at = out.find("KVST"); at != std::string::npos; at = out.find("KVST", at + 4)) {
    if (out.size() - at < 16) break;
    out[at + 4] = 1;
    const std::size_t length = static_cast<unsigned char>(out[at + 6]) |
                               static_cast<std::size_t>(static_cast<unsigned char>(out[at + 7]))
                                   << 8;
    if (out.size() - at < 16 + length) continue;
    const std::string_view covered = std::string_view(out).substr(at + 4, 8 + length);
    const std::uint32_t crc =
        kuvio::book::crc32(std::as_bytes(std::span(covered.data(), covered.size())));
    for (int i = 0; i < 4; ++i)
      out[at + 12 + length + static_cast<std::size_t>(i)] =
          static_cast<char>(crc >> (8 * i) & 0xff);
  }
  return out;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 1) return 0;
  const std::string_view bytes(reinterpret_cast<const char*>(data) + 1, size - 1);
  const std::size_t piece = data[0] % 64 + 1U;
  decode(bytes, piece);
  decode(repaired(bytes), piece);
  return 0;
}
