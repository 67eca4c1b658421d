// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/xml_text.h"

#include <catch2/catch.hpp>

using kuvio::formats::escape_xml;

TEST_CASE("whatever a book holds is text in XML and HTML, never markup") {
  CHECK(escape_xml("a < b > c & \"d\" 'e'").find('<') == std::string::npos);
  CHECK(escape_xml("<script>") == "&lt;script&gt;");
  CHECK(escape_xml("&amp;") == "&amp;amp;");
  CHECK(escape_xml("\"x\"") == "&quot;x&quot;");
  CHECK(escape_xml("µA, 10 °C") == "µA, 10 °C");
  // XML 1.0 has no place for these, escaped or not.
  CHECK(escape_xml(std::string("a\0b\x1b[2J", 6)).find('\x1b') == std::string::npos);
  CHECK(escape_xml(std::string("a\0b", 3)).find('\0') == std::string::npos);
}
