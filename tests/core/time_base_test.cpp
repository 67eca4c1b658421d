// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/time_base.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

TEST_CASE("an hour of 48 kHz is 172 800 000 ticks, and a day of thirds of a millisecond a day") {
  CHECK(TimeBase{1, 48000}.seconds(172'800'000) == 3600);
  CHECK(TimeBase{1, 3000}.seconds(259'200'000) == 86400);
  CHECK(TimeBase{1, 48000}.tick_s() == 1.0 / 48000);
}

TEST_CASE("a moment that a double cannot tell from a whole tick is that tick") {
  const TimeBase ms{1, 1000};
  // 0.3 is a little less than three tenths.
  CHECK(ms.ticks(0.3) == 300);
  CHECK(ms.ticks(0.1 + 0.2) == 300);
  CHECK(ms.ticks(0.30001) == Approx(300.01));
  CHECK(ms.ticks(-0.3) == -300);
  std::mt19937_64 random(1);
  for (const TimeBase base : {ms, TimeBase{1, 48000}, TimeBase{1, 1'000'000'000}, TimeBase{7, 3}}) {
    for (int i = 0; i < 2000; ++i) {
      const auto tick = static_cast<std::int64_t>(random() >> 14);
      // A double holds 53 bits, and this has 50.
      CHECK(base.ticks(base.seconds(tick)) == static_cast<long double>(tick));
    }
  }
}

TEST_CASE("the nearest time base of a rate is the rate's own") {
  for (const std::int64_t rate : {1, 10, 3, 44100, 48000, 1'000'000, 999'983, 250'000'000})
    CHECK(nearest_time_base(1.0L / static_cast<long double>(rate)) == TimeBase{1, rate});
  CHECK(nearest_time_base(60) == TimeBase{60, 1});
  CHECK(nearest_time_base(2.5L) == TimeBase{5, 2});
  // A clock 20 ppm off, an hour of it to less than a nanosecond.
  const long double off = 1.00002e-3L;
  const TimeBase base = nearest_time_base(off);
  CHECK(std::fabs(base.seconds(3'600'000) - static_cast<double>(3'600'000 * off)) < 1e-9);
}
