// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/ring.h"

#include <catch2/catch.hpp>

#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

TEST_CASE("a ring is bounded in samples and keeps their order across threads") {
  SampleRing ring(1000);
  std::jthread producer([&] {
    for (std::int64_t i = 0; i < 200;) {
      if (!ring.has_room(100)) {
        std::this_thread::yield();
        continue;
      }
      Packet packet;
      packet.index = i * 100;
      packet.columns = {std::vector<double>(100, static_cast<double>(i))};
      ring.push(std::move(packet));
      ++i;
    }
  });
  for (std::int64_t i = 0; i < 200;) {
    const auto packet = ring.pop();
    if (!packet) {
      std::this_thread::yield();
      continue;
    }
    REQUIRE(packet->index == i * 100);
    ++i;
  }
  producer.join();
  CHECK_FALSE(ring.pop());
  CHECK(ring.has_room(1000));
  CHECK_FALSE(ring.has_room(1001));
}
