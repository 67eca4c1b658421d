// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/event.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <set>

using namespace kuvio;

TEST_CASE("every kind of event is stored under a key of its own, which the format's page lists") {
  std::ifstream page(std::string(KUVIO_SOURCE) + "/docs/book-format.md");
  std::string row;
  while (std::getline(page, row) && !row.starts_with("| `event` |")) {
  }
  REQUIRE(row.starts_with("| `event` |"));
  std::set<std::string_view> keys;
  for (const EventKindInfo& k : event_kinds()) {
    INFO(k.key);
    CHECK(keys.insert(k.key).second);
    CHECK(event_kind(k.key) == k.kind);
    CHECK(info(k.kind).key == k.key);
    if (k.kind != EventKind::other) CHECK(row.find("`" + std::string(k.key) + "`") != row.npos);
  }
  CHECK(event_kind("of a later version") == EventKind::other);
  CHECK(event_kind("") == EventKind::other);
}

TEST_CASE("an event says what happened to what, and why") {
  CHECK(event_text(EventKind::output_on, "", "") == "output on");
  CHECK(event_text(EventKind::output_off, "output 2", "it went off by itself") ==
        "output 2 off: it went off by itself");
  CHECK(event_text(EventKind::output_tripped, "", "over-current") ==
        "output switched itself off: over-current");
  CHECK(event_text(EventKind::line_high, "line wake", "") == "line wake high");
  CHECK(event_text(EventKind::device_reset, "", "line RST low for 100 ms") ==
        "device reset: line RST low for 100 ms");
  CHECK(event_text(EventKind::input_silent, "", "no samples come") == "no samples come");
  CHECK(event_text(EventKind::mark, "", "lid opened") == "lid opened");
}
