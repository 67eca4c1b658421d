// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shunt_choice.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

TEST_CASE("a shunt is as large as drop and range allow, of E24") {
  // 50 mV at 250 mA is 0.2 Ohm.
  const ShuntChoice c = choose_shunt({0.25, 1e-6, 2.048, 16, true, 0.05, 100e-6});
  CHECK(c.ohm == Approx(0.2));
  CHECK(c.by_drop);
  CHECK(c.peak_v == Approx(0.05));
  CHECK(c.peak_w == Approx(0.0125));
  CHECK(c.full_scale_a == Approx(10.24));
  CHECK(c.count_a == Approx(4.096 / 65536 / 0.2));  // 312.5 uA
  CHECK(*c.counts == Approx(0.0032));
  CHECK(*c.needed_bits == 28);  // 10 / 0.0032 = 3125 times finer: 11.6 bits
  CHECK(*c.time_constant_s == Approx(20e-6));
  // The range alone: 0.125 V at 2 A is 62.5 mOhm, of E24 62.
  const ShuntChoice r = choose_shunt({2, 0, 0.125, 12, false, 0, 0});
  CHECK(r.ohm == Approx(0.062));
  CHECK_FALSE(r.by_drop);
  CHECK(r.count_a == Approx(0.125 / 4096 / 0.062));
  CHECK_FALSE(r.counts);
  CHECK_FALSE(r.time_constant_s);
}

TEST_CASE("the next larger value would not do, whatever the task") {
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> decades(-6, 2), part(0, 1);
  for (int i = 0; i < 2000; ++i) {
    const double peak = std::pow(10, decades(random)), range = std::pow(10, decades(random) / 3),
                 drop = part(random) < 0.5 ? 0 : range * part(random);
    if (drop < 1e-9 && drop > 0) continue;
    const ShuntChoice c = choose_shunt({peak, 0, range, 16, true, drop, 0});
    const double most = (drop > 0 ? drop : range) / peak;
    CHECK(c.ohm <= most * (1 + 1e-6));
    CHECK(c.ohm * 1.16 > most);  // the widest step of E24 is 15 %
    CHECK(c.peak_v <= range * (1 + 1e-6));
  }
}

TEST_CASE("a task that makes no sense is refused") {
  const ShuntTask good{0.25, 1e-6, 2.048, 16, true, 0.05, 0};
  const auto refused = [&](auto change) {
    ShuntTask t = good;
    change(t);
    CHECK_THROWS_AS(choose_shunt(t), std::invalid_argument);
  };
  refused([](ShuntTask& t) { t.peak_a = 0; });
  refused([](ShuntTask& t) { t.range_v = -1; });
  refused([](ShuntTask& t) { t.bits = 1; });
  refused([](ShuntTask& t) { t.smallest_a = 1; });
  refused([](ShuntTask& t) { t.drop_v = -1; });
  refused([](ShuntTask& t) { t.peak_a = NAN; });
}

TEST_CASE("a shunt that is there is judged: what it drops, heats, shows and clips") {
  const ShuntTask task{0.25, 1e-3, 0.125, 12, true, 0.05, 0};
  const ShuntChoice good = judge_shunt(task, 0.1);
  CHECK(good.peak_v == Approx(0.025));
  CHECK(good.peak_w == Approx(6.25e-3));
  CHECK(good.full_scale_a == Approx(1.25));
  CHECK(good.count_a == Approx(0.25 / 4096 / 0.1));
  CHECK(in_words(good, task).front().find("limits it") != std::string::npos);
  CHECK(in_words(judge_shunt(task, 0.3), task).front().find("more than the device bears") !=
        std::string::npos);
  const ShuntChoice large = judge_shunt(task, 1);  // 250 mV into 125 mV
  CHECK(large.full_scale_a == Approx(0.125));
  CHECK(in_words(large, task).front().find("clipped") != std::string::npos);
  CHECK_THROWS_AS(judge_shunt(task, 0), std::invalid_argument);
  CHECK_THROWS_AS(judge_shunt(task, -1), std::invalid_argument);
}
