// SPDX-License-Identifier: GPL-3.0-or-later
// Running figures are those of the window's samples, gathered one by one.

#include "core/smoothed.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <algorithm>

using namespace kuvio;

TEST_CASE("each value is the maximum, mean or median of the samples within half a window of it") {
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int round = 0; round < 90; ++round) {
    const bool uneven = round % 2 == 0;
    const MemoryTrace trace = test::random_trace(random, SampleKind::averaged, uneven);
    const Block& block = trace.blocks().front();
    const auto take = static_cast<Smoothing::Take>(round % 3);
    const double over_s = unit(random) * (uneven ? 0.05 : 0.02);
    const double noise = 1e-6;
    const std::function<double()> noise_of = [&] { return noise; };
    Smoothed smoothed(trace, block, {over_s, take}, noise_of);
    std::vector<double> raw(static_cast<std::size_t>(block.count));
    trace.read(block, 0, raw);
    const auto from =
        static_cast<std::int64_t>(unit(random) * static_cast<double>(block.count - 1));
    std::vector<double> got(static_cast<std::size_t>(
        1 + static_cast<std::int64_t>(unit(random) * static_cast<double>(block.count - from - 1))));
    smoothed.read(from, got);
    const std::int64_t half = std::llround(over_s * 1e6 / 2);
    for (std::size_t i = 0; i < got.size(); i += 1 + got.size() / 60) {
      const std::int64_t at = from + static_cast<std::int64_t>(i), tick = tick_of(trace, block, at);
      std::vector<double> near;
      for (std::int64_t k = 0; k < block.count; ++k) {
        if (std::abs(tick_of(trace, block, k) - tick) <= half)
          near.push_back(raw[static_cast<std::size_t>(k)]);
      }
      std::sort(near.begin(), near.end());
      double right = near.back();
      if (take == Smoothing::Take::mean) {
        right = 0;
        for (const double x : near)
          right += std::asinh(x / noise) / static_cast<double>(near.size());
        right = noise * std::sinh(right);
      } else if (take == Smoothing::Take::median) {
        right = near.size() % 2 == 1 ? near[near.size() / 2]
                                     : (near[near.size() / 2 - 1] + near[near.size() / 2]) / 2;
      }
      CAPTURE(round, at, near.size());
      REQUIRE(got[i] == Approx(right).epsilon(1e-9).margin(1e-15));
    }
  }
}
