// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/perch.h"

#include <catch2/catch.hpp>

#include <algorithm>

using namespace kuvio::sim;

TEST_CASE("the nest-box counter hands its panel's charge to the cell in bursts") {
  Perch device(4);
  std::vector<std::string> log;
  device.print = [&](double, double, const std::string& line) { log.push_back(line); };
  device.power(0, 0, true);
  device.advance(30);
  std::size_t cursor = 0, other = 0;
  CHECK(mean_current(device, 0, 5, 25, cursor) > 45e-6);
  CHECK(mean_current(device, 1, 5, 25, other) == Approx(0).margin(1e-12));  // no panel yet
  device.power(30, 1, true);
  device.advance(58);
  CHECK(mean_current(device, 1, 35, 58, other) == Approx(60e-6));
  device.advance(400);  // the sun came at 60 s
  const auto bursts = [&](double from, double to) {
    int n = 0;
    for (const Stretch& s : device.stretches(0))
      n += s.state == "Harvest" && s.from_s >= from && s.from_s < to;
    return n;
  };
  // 4 mA x 0.85 fill 8.5 mC in 2.5 s.
  CHECK(bursts(100, 350) == Approx(100).margin(2));
  // What comes back is what the panel gave, less the harvester's loss.
  double in = 0, panel = 0;
  for (const Stretch& s : device.stretches(0))
    if (s.state == "Harvest" && s.to_s < 400) in += (48e-6 - s.level_a) * (s.to_s - s.from_s);
  for (const Stretch& s : device.stretches(1))
    if (s.to_s < 400) panel += s.level_a * (s.to_s - s.from_s);
  CHECK(in == Approx(panel * Perch::kEfficiency).margin(1.1 * Perch::kBurstC));
  device.command(400, "shade");
  device.advance(1000);
  CHECK(bursts(405, 1000) == Approx(3.5).margin(1.5));  // 51 uA fill it in 167 s
  CHECK(std::count(log.begin(), log.end(), "panel: sun") == 1);
  CHECK(std::count(log.begin(), log.end(), "panel: shade") == 1);
  CHECK_FALSE(device.lines(404.9) & 1U);
  // Neighbouring stretches meet, whatever happened.
  for (const int port : {0, 1}) {
    const auto& all = device.stretches(port);
    for (std::size_t i = 1; i < all.size(); ++i) CHECK(all[i].from_s == Approx(all[i - 1].to_s));
  }
}
