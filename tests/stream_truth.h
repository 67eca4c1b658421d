// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/channel_trace.h"

#include <nlohmann/json.hpp>

#include <memory>
#include <string>
#include <vector>

namespace kuvio::test {

/// What a book holds of a binary stream, held against what the simulated digitiser really sent.
struct StreamKept {
  std::int64_t samples = 0, gaps = 0;  ///< of the first channel, of all channels
  // Frames that lie wholly within the capture:
  std::int64_t same = 0;      ///< arrived whole and are in the book as they were sent
  std::int64_t other = 0;     ///< arrived whole and are in the book with other values
  std::int64_t missing = 0;   ///< arrived whole and are not in the book
  std::int64_t invented = 0;  ///< were dropped or garbled, and yet the book has samples there
  std::int64_t lost_frames = 0;
  // Of all frames, the part that lies within the capture:
  std::int64_t lost_samples = 0;  ///< dropped or garbled
  std::int64_t lost_runs = 0;     ///< stretches of them: the gaps there must be
};

/// `truth`: "stream" of what kuvio-sim --truth wrote. `gain`: A or V of one code, by quantity.
inline StreamKept hold_against(const book::Book& book, const book::CaptureInfo& info,
                               const nlohmann::json& truth, double current_gain = 40e-9,
                               double voltage_gain = 1e-6) {
  StreamKept out;
  std::vector<std::unique_ptr<book::ChannelTrace>> traces;
  std::vector<double> gains;
  for (const auto& c : info.channels) {
    traces.push_back(std::make_unique<book::ChannelTrace>(book, c));
    gains.push_back(c.quantity == Quantity::voltage ? voltage_gain : current_gain);
    out.gaps += c.gaps;
  }
  // Ticks of a stream are its samples; its own clock map only stretches and shifts them.
  const auto blocks = traces.front()->blocks();
  const std::int64_t tick = blocks.front().period, origin = blocks.front().start;
  out.samples = traces.front()->samples();
  std::int64_t began = 0;
  for (const auto& e : book.events(info.id)) {
    if (e.kind == EventKind::stream_began) began = std::stoll(e.text.substr(7));
  }
  const auto start = [&](const Block& b) { return (b.start - origin) / tick; };
  const std::int64_t end = start(blocks.back()) + blocks.back().count;
  const std::int64_t n = truth["samples_a_frame"];
  std::vector<std::vector<double>> values(traces.size(),
                                          std::vector<double>(static_cast<std::size_t>(n)));
  bool losing = false;
  for (const auto& frame : truth["sent"]) {
    const std::int64_t at = frame[0].get<std::int64_t>() - began;
    const std::int64_t inside = std::min(at + n, end) - std::max<std::int64_t>(at, 0);
    if (inside <= 0) continue;
    const bool whole = frame[2];
    if (!whole) {
      out.lost_samples += inside;
      ++out.lost_frames;
      out.lost_runs += !losing;
    }
    losing = !whole;
    if (inside < n) continue;
    std::size_t b = 0;
    while (b < blocks.size() && start(blocks[b]) + blocks[b].count <= at) ++b;
    const bool there = b < blocks.size() && start(blocks[b]) < at + n;
    if (!whole) {
      out.invented += there;
      continue;
    }
    if (!there || start(blocks[b]) > at || start(blocks[b]) + blocks[b].count < at + n) {
      ++out.missing;
      continue;
    }
    for (std::size_t c = 0; c < traces.size(); ++c)
      traces[c]->read(traces[c]->blocks()[b], at - start(blocks[b]), values[c]);
    std::uint64_t h = 0xcbf29ce484222325U;  // FNV-1a
    for (std::size_t i = 0; i < static_cast<std::size_t>(n); ++i) {
      for (std::size_t c = 0; c < traces.size(); ++c) {
        const auto code = static_cast<std::int32_t>(std::llround(values[c][i] / gains[c]));
        for (int byte = 0; byte < 3; ++byte)
          h = (h ^ (static_cast<std::uint32_t>(code) >> (8 * byte) & 0xff)) * 0x100000001b3U;
      }
    }
    ++(std::to_string(h) == frame[1].get<std::string>() ? out.same : out.other);
  }
  return out;
}

}  // namespace kuvio::test
