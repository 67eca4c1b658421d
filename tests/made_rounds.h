// SPDX-License-Identifier: GPL-3.0-or-later
// Captures whose every visit is known: what a ledger says beside its rows is worked out by hand.
#pragma once

#include "book/capture_writer.h"

#include <fmt/format.h>

#include <vector>

namespace kuvio::test {

inline constexpr int kRounds = 24;

/// Rounds of 900 ms at rest (10 uA) and 100 ms of work that costs 40 uC and 0.2 uC for each byte;
/// the radio has half of it, and 1 uA at rest. A mark stands 250 ms before each work, the bytes in
/// the log at its end. `dozes`: every fourth work is followed by 300 ms at 100 uA.
inline std::int64_t add_rounds(book::Book& book, const char* build, bool dozes) {
  const auto channel = [](const char* name) {
    book::ChannelInfo c;
    c.name = name;
    c.time_base = {1, 1000};
    c.kind = SampleKind::averaged;
    return c;
  };
  book::CaptureWriter writer(book, {build, build, {}, false}, {channel("I"), channel("I_radio")});
  std::vector<double> all, radio;
  const auto stay = [&](std::size_t ms, double level, double of_radio) {
    all.insert(all.end(), ms, level);
    radio.insert(radio.end(), ms, of_radio);
  };
  const auto now = [&] { return static_cast<double>(all.size()) * 1e-3; };
  for (int i = 0; i < kRounds; ++i) {
    stay(900, i == 12 ? 30e-6 : 10e-6, 1e-6);
    if (i == 5) writer.event({EventKind::mark, now() - 0.5, now() - 0.5, "key pressed"});
    writer.event({EventKind::mark, now() - 0.25, now() - 0.25, "key pressed"});
    const int bytes = 64 * (1 + i % 4);
    const double level = (40e-6 + 0.2e-6 * bytes) / 0.1;
    stay(100, level, level / 2);
    if (i != 20) writer.log({now() + 0.001, false, fmt::format("sent {} B", bytes)});
    if (dozes && i % 4 == 3) stay(300, 100e-6, 1e-6);
  }
  stay(500, 10e-6, 1e-6);
  writer.append(0, 0, 1, all);
  writer.append(1, 0, 1, radio);
  writer.finish("made", false);
  return writer.id();
}

inline constexpr const char* kRoundsRecipe =
    "kuvio = \"recipe/1\"\nname = \"levels\"\nchannel = \"I\"\n"
    "[[state]]\nname = \"Rest\"\nlevel = { below = \"50 uA\" }\n"
    "[[state]]\nname = \"Doze\"\nlevel = { above = \"50 uA\", below = \"200 uA\" }\n"
    "[[state]]\nname = \"Work\"\nlevel = { above = \"200 uA\" }\n";

}  // namespace kuvio::test
