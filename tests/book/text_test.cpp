// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/text.h"

#include <catch2/catch.hpp>

#include <string>

using namespace kuvio::book;

TEST_CASE("text that is safe stays as it is, the rest becomes its bytes") {
  CHECK(printable("wake: timer, 12 µA, 漢字, 🙂") == "wake: timer, 12 µA, 漢字, 🙂");
  CHECK(printable("\x1b[31mred") == "\\x1B[31mred");
  CHECK(printable("a\r\nb\tc\x7f").find_first_of("\r\n\x7f") == std::string::npos);
  // No UTF-8: a lone byte, an overlong slash, half a character, a surrogate, beyond the last.
  for (const char* bad : {"\xff", "\xc0\xaf", "\xe2\x82", "\xed\xa0\x80", "\xf4\x90\x80\x80"}) {
    const std::string out = printable(std::string("a") + bad + "b");
    CHECK(out.substr(0, 3) == "a\\x");
    CHECK(out.back() == 'b');
  }
  // Marks that turn the direction of what stands beside them, and the byte order mark's like.
  CHECK(printable("a\xe2\x80\xae"
                  "b") == "a\\xE2\\x80\\xAEb");
  CHECK(printable(printable("\x1b")) == printable("\x1b"));
}

TEST_CASE("a text too long says how long it was, and is cut between characters") {
  CHECK(shortened("short", 100) == "short");
  const std::string exact(100, 'x');
  CHECK(shortened(exact, 100) == exact);
  std::string umlauts;
  for (int i = 0; i < 500; ++i) umlauts += "ü";
  for (std::size_t most = 60; most < 70; ++most) {
    const std::string out = shortened(umlauts, most);
    CHECK(out.size() <= most);
    CHECK(out.find("1000") != std::string::npos);
    CHECK(printable(out) == out);  // no half character
  }
}

TEST_CASE("a text is UTF-8 or not, and may be cut in its last character") {
  CHECK(is_utf8(""));
  CHECK(is_utf8("µA ✓ 𝄞"));
  for (std::size_t cut = 1; cut < 4; ++cut)
    CHECK(is_utf8(std::string_view("a𝄞").substr(0, 5 - cut)));
  CHECK_FALSE(
      is_utf8("\xb5"
              "A"));                  // a character of ISO 8859-1
  CHECK_FALSE(is_utf8("\xe4rke 1"));  // begins as one of three bytes
  CHECK_FALSE(is_utf8("\xed\xa0\x80 surrogate"));
  CHECK_FALSE(is_utf8("\xf0\x9d\x84 and goes on"));
}
