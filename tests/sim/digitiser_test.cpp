// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/digitiser.h"

#include "sim/satchel.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cstring>

using namespace kuvio::sim;

TEST_CASE("the digitiser remembers what it sent, dropped and garbled, on its own clock") {
  Satchel device(firmware("2.3.0"), 5);
  device.power(0, 0, true);
  DigitiserSettings settings;
  settings.rate_hz = 1000;
  settings.drift_ppm = 1000;
  settings.drop = 0.2;
  settings.garble = 0.1;
  Digitiser digitiser(device, 3, settings);
  std::string bytes;
  for (int i = 1; i <= 100; ++i) {
    device.advance(i * 0.1 + 0.1);
    bytes += digitiser.send(i * 0.1, 3.6);
  }
  const Digitiser::Truth& t = digitiser.truth();
  CHECK(t.samples_a_frame == 20);
  CHECK(t.frames * 20 == Approx(10'010).margin(20));  // a per mille fast
  CHECK(static_cast<std::int64_t>(t.sent.size()) == t.frames);
  CHECK(t.samples + t.samples_lost == t.frames * 20);
  CHECK(t.dropped > 50);
  CHECK(t.garbled > 20);
  std::int64_t whole = 0, next = 0;
  for (const auto& f : t.sent) {
    CHECK(f.first == next);
    next += 20;
    whole += f.whole;
  }
  CHECK(whole * 20 == t.samples);
  std::size_t frames = 0;
  for (auto at = bytes.find("KVST"); at != std::string::npos; at = bytes.find("KVST", at + 4))
    frames += static_cast<unsigned char>(bytes[at + 5]) == 2;
  CHECK(frames == static_cast<std::size_t>(t.frames - t.dropped));
}

TEST_CASE(
    "while its feed holds the device's current, the voltage that the stream shows falls away") {
  Satchel device(firmware("2.3.0"), 5);
  device.set_limit(0, 0, 2e-3);  // booting takes more
  device.power(0, 0, true);
  DigitiserSettings settings;
  settings.rate_hz = 10'000;
  Digitiser digitiser(device, 3, settings);
  device.advance(3);
  const std::string bytes = digitiser.send(2.5, 3.6);
  // Frames of samples: 12 bytes before them, then per sample three of current and three of voltage.
  double least = 1e9, most = 0;
  for (auto at = bytes.find("KVST"); at != std::string::npos; at = bytes.find("KVST", at + 4)) {
    if (bytes[at + 5] != 2) continue;
    const auto* p = reinterpret_cast<const unsigned char*>(bytes.data()) + at + 12 + 12;
    for (int i = 0; i < digitiser.truth().samples_a_frame; ++i, p += 6) {
      const double codes = p[3] + 256 * p[4] + 65536 * p[5];
      least = std::min(least, codes);
      most = std::max(most, codes);
    }
  }
  CHECK(least / most == Approx(0.5).epsilon(0.01));
}

TEST_CASE("asked for the time the digitiser answers with its count") {
  Satchel device(firmware("2.3.0"), 5);
  Digitiser digitiser(device, 3, {});
  device.advance(3);
  digitiser.send(2.5, 3.6);
  CHECK(digitiser.take(2.5, "junk before").empty());
  // A frame of type 5 with eight bytes of the asker's own.
  std::string ask("KVST");
  for (const int byte : {1, 5, 8, 0, 0, 0, 0, 0}) ask += static_cast<char>(byte);
  ask += "abcdefgh";
  ask.append(4, '\0');  // it does not look at the checksum
  std::string answer = digitiser.take(2.5, ask.substr(0, 10));
  answer += digitiser.take(2.5, ask.substr(10));
  REQUIRE(answer.size() == 12 + 16 + 4);
  CHECK(static_cast<int>(answer[5]) == 4);
  CHECK(answer.substr(12, 8) == "abcdefgh");
  std::uint64_t count = 0;
  std::memcpy(&count, answer.data() + 20, 8);
  CHECK(count == 2500);
}
