// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/toml_edit.h"

#include "core/error.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::formats;

namespace {

const std::string kText =
    "kuvio = \"budget/1\"   # by hand\n"
    "name = \"µ-budget\"\n"
    "\n"
    "# sleeping\n"
    "[[limit]]\n"
    "state = \"Ruhe µ\"\n"
    "mean_current = { expect = \"3.1 µA\", max = \"4 uA\" }  # data sheet\n"
    "\n"
    "[[limit]]\n"
    "state = \"Send\"\n"
    "charge_per_visit = { max = \"115 mC\" }\n"
    "visit_length = { max = \"2 s\" }\n";

std::string with(const std::string& what, const std::string& by) {
  std::string out = kText;
  const auto at = out.find(what);
  REQUIRE(at != std::string::npos);
  return out.replace(at, what.size(), by);
}

}  // namespace

namespace {
int limits_in(const std::string& text) {
  int n = 0;
  for (auto at = text.find("[[limit]]"); at != std::string::npos;
       at = text.find("[[limit]]", at + 1))
    ++n;
  return n;
}
}  // namespace

TEST_CASE("a value is replaced and everything else stays as it was written") {
  CHECK(toml_set(kText, "b", {"limit", 0, "mean_current", "max"}, "\"5 uA\"") ==
        with("{ expect = \"3.1 µA\", max = \"4 uA\" }", "{ expect = \"3.1 µA\", max = \"5 uA\" }"));
  CHECK(toml_set(kText, "b", {"", 0, "name", ""}, "\"other\"") ==
        with("\"µ-budget\"", "\"other\""));
  CHECK(toml_set(kText, "b", {"limit", 0, "state", ""}, "\"Rest\"") ==
        with("\"Ruhe µ\"", "\"Rest\""));
}

TEST_CASE("a value that is not there is added where it belongs") {
  CHECK(toml_set(kText, "b", {"limit", 1, "charge_per_visit", "expect"}, "\"105 mC\"") ==
        with("{ max = \"115 mC\" }", "{ max = \"115 mC\", expect = \"105 mC\" }"));
  CHECK(toml_set(kText, "b", {"limit", 0, "peak_current", "max"}, "\"1 A\"") ==
        with("# data sheet\n", "# data sheet\npeak_current = { max = \"1 A\" }\n"));
  CHECK(toml_set(kText, "b", {"", 0, "supply", ""}, "\"3.6 V\"") ==
        with("\"µ-budget\"\n", "\"µ-budget\"\nsupply = \"3.6 V\"\n"));
  CHECK(toml_set("kuvio = \"x/1\"", "b", {"", 0, "a", ""}, "1") == "kuvio = \"x/1\"\na = 1\n");
}

TEST_CASE("values and blocks are taken away") {
  CHECK(toml_remove(kText, "b", {"limit", 0, "mean_current", "expect"}) ==
        with("{ expect = \"3.1 µA\", max = \"4 uA\" }", "{ max = \"4 uA\" }"));
  CHECK(toml_remove(kText, "b", {"limit", 1, "visit_length", "max"}) ==
        with("visit_length = { max = \"2 s\" }\n", ""));
  CHECK(toml_remove(kText, "b", {"limit", 1, "nothing", ""}) == kText);
  const std::string one = toml_remove_block(kText, "b", "limit", 0);
  CHECK(limits_in(one) == 1);
  CHECK_THAT(one, Catch::Contains("Send") && !Catch::Contains("Ruhe"));
  CHECK(limits_in(toml_append(kText, "[[limit]]\nwhole = true")) == 3);
}

TEST_CASE("what cannot be edited is told with its line") {
  CHECK_THROWS_WITH(toml_set("a = \n", "b.toml", {"", 0, "a", ""}, "1"),
                    Catch::Contains("b.toml:1"));
  CHECK_THROWS_WITH(toml_set(kText, "b", {"limit", 7, "state", ""}, "1"),
                    Catch::Contains("[[limit]] number 8"));
  CHECK(toml_quote("a\"b\\c\n") == "\"a\\\"b\\\\c \"");
}
