// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/talk_log.h"

#include <catch2/catch.hpp>

#include <thread>

using namespace kuvio::acquire;

TEST_CASE("what is said over and over stands once, with its last answer, the newest last") {
  TalkLog log;
  CHECK(log.exchanges().empty());
  log.answered("to nothing");
  CHECK(log.exchanges().empty());
  log.said("*IDN?");
  log.answered("Acme,Source 7,1,2");
  for (int i = 0; i < 5; ++i) {
    log.said("MEAS:CURR?");
    log.answered(std::to_string(i));
  }
  log.said("VOLT 3.6");
  const auto all = log.exchanges();
  REQUIRE(all.size() == 3);
  CHECK(all[0].said == "*IDN?");
  CHECK(all[1].times == 5);
  CHECK(all[1].answered == "4");
  CHECK(all[2].answered.empty());
  CHECK(all[2].last_s >= all[0].last_s);
  // Said again it is the newest, and what it answered before is no answer to this.
  log.said("*IDN?");
  CHECK(log.exchanges().back().said == "*IDN?");
  CHECK(log.exchanges().back().answered.empty());
}

TEST_CASE("it stays small and printable, whatever an instrument sends") {
  TalkLog log;
  for (int i = 0; i < 1000; ++i) log.said("FETC? " + std::to_string(i));
  CHECK(log.exchanges().size() == 64);
  CHECK(log.exchanges().back().said == "FETC? 999");
  log.answered(std::string(100'000, '\x1b'));
  CHECK(log.exchanges().back().answered.size() < 1000);
  CHECK(log.exchanges().back().answered.find('\x1b') == std::string::npos);
}

TEST_CASE("one thread talks while another looks") {
  TalkLog log;
  std::jthread talks([&](const std::stop_token& stop) {
    for (int i = 0; !stop.stop_requested(); ++i) {
      log.said(std::to_string(i % 100));
      log.answered("x");
    }
  });
  for (int i = 0; i < 2000; ++i) CHECK(log.exchanges().size() <= 64);
}
