// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers read a word at a time are those that the standard library reads.

#include "formats/plain_number.h"

#include "formats/log_time.h"
#include "formats/text_columns.h"

#include <catch2/catch.hpp>

#include <bit>
#include <charconv>
#include <random>

using namespace kuvio::formats;

namespace {

/// A number's text, with what must be there behind it to be read.
struct Given {
  explicit Given(const std::string& text) : room(text + std::string(kReadBehind + 1, '\0')) {}
  const char* begin() const { return room.data(); }
  std::string room;
};

std::string digits(std::mt19937_64& random, int most) {
  std::string out;
  for (auto n = random() % static_cast<unsigned>(most + 1); n > 0; --n)
    out += static_cast<char>('0' + random() % 10);
  return out;
}

}  // namespace

TEST_CASE("any plain number is the double that the standard library reads") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  int read = 0;
  for (int i = 0; i < 200'000; ++i) {
    std::string text = random() % 3 == 0 ? "-" : "";
    text += digits(random, 11);
    if (random() % 4 != 0) text += "." + digits(random, 11);
    if (random() % 4 == 0)
      text += (random() % 2 == 0 ? "e-" : "E+") + std::to_string(random() % 25);
    const char* tails[] = {"", ",1.5", "\n7", " mA", ";", "\r\n"};
    const std::string tail = tails[random() % 6];
    CAPTURE(text, tail);
    const Given given(text + tail);
    double right = 0;
    const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), right);
    const bool number = failed == std::errc{} && end == text.data() + text.size();
    const char* at = given.begin();
    PlainNumber out;
    if (!scan_plain(at, '.', out)) {
      CHECK(at == given.begin());
      continue;
    }
    REQUIRE(number);
    REQUIRE(at == given.begin() + text.size());
    double value = 0;
    REQUIRE(plain_value(out, '.', given.begin(), at, value));
    REQUIRE(std::bit_cast<std::uint64_t>(value) == std::bit_cast<std::uint64_t>(right));
    CHECK(out.whole == (text.find_first_of(".eE") == std::string::npos));
    ++read;
  }
  CHECK(read > 100'000);  // most of them are plain
}

TEST_CASE("a plain number as a whole one of smaller units is exact") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  int scaled = 0;
  for (int i = 0; i < 100'000; ++i) {
    std::string text = (random() % 2 == 0 ? "-" : "") + digits(random, 9);
    if (random() % 2 == 0) text += "." + digits(random, 9);
    const int exponent = static_cast<int>(random() % 10) - 9;
    const std::int64_t times = random() % 2 == 0 ? 1 : 60;
    CAPTURE(text, exponent, times);
    const Given given(text);
    const char* at = given.begin();
    PlainNumber number;
    std::int64_t out = 0;
    if (!scan_plain(at, '.', number) || !plain_scaled(number, times, exponent + 9, out)) continue;
    CHECK(exact_decimal(text, exponent, 9, times) == std::optional(out));
    ++scaled;
  }
  CHECK(scaled > 10'000);
}

TEST_CASE("a decimal comma, and what is no plain number") {
  const auto read = [](const std::string& text, char decimal) -> std::optional<double> {
    const Given given(text);
    const char* at = given.begin();
    PlainNumber number;
    double value = 0;
    if (!scan_plain(at, decimal, number) || !plain_value(number, decimal, given.begin(), at, value))
      return std::nullopt;
    return value;
  };
  CHECK(read("0,250;1", ',') == 0.25);
  CHECK(read("1234567,5", ',') == 1234567.5);
  CHECK(read("+1.5", '.') == 1.5);
  CHECK(read(".5", '.') == 0.5);
  for (const char* none :
       {"", "-", ".", "1.", "1.x", "x1", "1e", "1e+", "nan", "1234567890123456789012"})
    CHECK_FALSE(read(none, '.'));
  // The standard library reads no decimal comma: what takes it is left to others.
  CHECK_FALSE(read("0,12345678901234567", ','));
  CHECK(read("0.12345678901234567", '.') == 0.12345678901234567);
}

TEST_CASE("moments on a known day are those of the calendar") {
  KnownDay day;
  std::int64_t ns = 0;
  CHECK_FALSE(day.moment("2026-05-04T14:02:31.25Z", ns));
  day.learn("2026-05-04T14:02:31.25Z", *calendar_ns("2026-05-04T14:02:31.25Z"));
  for (const char* text : {"2026-05-04T00:00:00Z", "2026-05-04T23:59:59.999999999Z",
                           "2026-05-04T14:02:31,5Z", "2026-05-04T14:02:31.1234567891Z"}) {
    CAPTURE(text);
    REQUIRE(day.moment(text, ns));
    CHECK(ns == calendar_ns(text));
  }
  for (const char* other : {"2026-05-05T00:00:00Z", "2026-05-04T00:00:00", "2026-05-04T24:00:00Z",
                            "2026-05-04T14:02Z", "2026-05-04T14:60:00Z", "2026-05-04", ""})
    CHECK_FALSE(day.moment(other, ns));
  day.learn("2026-05-04 14:02:31+02:00", *calendar_ns("2026-05-04 14:02:31+02:00"));
  REQUIRE(day.moment("2026-05-04 03:00:00.5+02:00", ns));
  CHECK(ns == calendar_ns("2026-05-04 03:00:00.5+02:00"));
}
