// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/device_log.h"
#include "acquire/endpoint.h"
#include "acquire/input_track.h"
#include "acquire/scpi.h"
#include "acquire/scripted_link.h"
#include "core/error.h"

#include <catch2/catch.hpp>

#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

using Format = LogProfile::Format;

namespace {

Scpi conversation(std::vector<std::string> pieces) {
  return {std::make_unique<test::ScriptedLink>(std::move(pieces)), "test"};
}

}  // namespace

TEST_CASE("addresses of inputs are read or refused with the reason") {
  const Endpoint e = parse_endpoint("scpi+tcp://127.0.0.1:5025");
  CHECK(e.host == "127.0.0.1");
  CHECK(e.port == 5025);
  const Endpoint log = parse_endpoint("log+serial:/dev/pts/3?baud=9600&stamped=uptime");
  CHECK(log.path == "/dev/pts/3");
  CHECK(log.options.at("baud") == "9600");
  for (const char* wrong :
       {"nonsense", "scpi+tcp:127.0.0.1", "scpi+tcp://host", "scpi+tcp://host:0",
        "scpi+tcp://host:99999", "scpi+tcp://:5", "log+serial:relative", "usbtmc:usbtmc0",
        "lines:", "sysfs:hwmon0", "stream+tcp:/x", "lines:/tmp/x?baud=9600",
        "lines:/tmp/x?columns=%4", "log+serial:/dev/x?speed=1"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_endpoint(wrong), Error);
  }
}

TEST_CASE("answers that come in pieces are put together") {
  auto scpi = conversation({"+3.6", "00000E+00\r", "\n", "0,\"No error\"\n"});
  CHECK(scpi.query_number("VOLT?") == Approx(3.6));
  CHECK(scpi.errors().empty());
}

TEST_CASE("a block is read whole, a garbled one refused") {
  const float values[] = {1.5F, -2.0F};
  const std::string data(reinterpret_cast<const char*>(values), 8);
  auto scpi = conversation({"#", "18" + data.substr(0, 3), data.substr(3), "\n"});
  CHECK(scpi.query_values("FETC?", Format::float32_little) == std::vector<double>{1.5, -2.0});
  for (const std::string& wrong :
       {std::string("12345\n"), std::string("#0abc\n"), std::string("#19999999999\n"),
        std::string("#17abcdefg\n"), std::string("#1x")}) {
    auto garbled = conversation({wrong});
    CHECK_THROWS_AS(garbled.query_values("FETC?", Format::float32_little), Error);
  }
}

TEST_CASE("an instrument that stops answering is an error, not a hang") {
  auto scpi = conversation({"half an ans"});
  CHECK_THROWS_WITH(scpi.query("*IDN?"),
                    Catch::Contains("stopped answering") && Catch::Contains("*IDN?"));
}

TEST_CASE("device text is cut into lines, stamps taken off") {
  LineCutter cutter(true);
  std::vector<DeviceLine> out;
  const double now = 100;
  cutter.take("[12.5] wake: ti", now, out);
  CHECK(out.empty());
  cutter.take("mer\r\n\r\n[x] odd\nplain", now, out);
  cutter.finish(out);
  REQUIRE(out.size() == 3);
  CHECK(out[0].text == "wake: timer");
  CHECK(*out[0].uptime_s == 12.5);
  CHECK(out[1].text == "[x] odd");
  CHECK_FALSE(out[1].uptime_s);
  CHECK(out[2].text == "plain");
}

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

TEST_CASE("whole rates have exact time bases") {
  CHECK(time_base_for(1.0 / 48000).first == TimeBase{1, 48000});
  CHECK(time_base_for(1.0 / 48000).second == 1);
  CHECK(time_base_for(0.3).second == 300'000'000);
}
