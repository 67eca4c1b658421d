// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/time_text.h"

#include <catch2/catch.hpp>

using namespace kuvio::app;

TEST_CASE("where somebody wants to go is read as it is written") {
  const auto at = [](const char* text, double here = 100) {
    const auto t = parse_time_target(QString::fromUtf8(text), here);
    REQUIRE(t);
    CHECK_FALSE(t->to_s);
    return t->from_s;
  };
  CHECK(at("12.5") == 12.5);
  CHECK(at(" 12.5 s ") == 12.5);
  CHECK(at("350 ms") == Approx(0.35));
  CHECK(at("2:30") == 150);
  CHECK(at("1:02:03.25") == Approx(3723.25));
  CHECK(at("+200 ms") == Approx(100.2));
  CHECK(at("-1:00") == Approx(40));
  for (const char* wrong : {"", "here", "12,5,3", "1:2:3:4", "..", "5 ..", "5 mA", "nan"}) {
    INFO(wrong);
    CHECK_FALSE(parse_time_target(QString::fromUtf8(wrong), 100));
  }
}

TEST_CASE("two of them are a stretch, the second counted from the first where it has a sign") {
  const auto t = parse_time_target(QStringLiteral("12.5 .. +80 ms"), 100);
  REQUIRE((t && t->to_s));
  CHECK(t->from_s == 12.5);
  CHECK(*t->to_s == Approx(12.58));
  const auto words = parse_time_target(QStringLiteral("1:00 to 2:00"), 0);
  REQUIRE((words && words->to_s));
  CHECK(*words->to_s - words->from_s == 60);
}

TEST_CASE("a moment has as many digits as its span can use") {
  CHECK(moment_text(1234.5678, 1000) == QStringLiteral("20:34.568"));
  CHECK(moment_text(1.23456789, 0.1) == QStringLiteral("0:01.2346"));
  CHECK(moment_text(1.23456789012, 1e-6) == QStringLiteral("0:01.234567890"));
  CHECK(moment_text(0, 0) == QStringLiteral("0:00.000000000"));
}
