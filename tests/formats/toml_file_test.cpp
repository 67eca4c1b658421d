// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/toml_file.h"

#include "core/error.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using formats::TomlTable;

namespace {

TomlTable read(const std::string& body) {
  return TomlTable::text("kuvio = \"duty/1\"\n" + body, "plans/x.duty.toml", "duty");
}

}  // namespace

TEST_CASE("a file says what it is, and is nothing else") {
  CHECK_NOTHROW(read(""));
  CHECK_THROWS_WITH(TomlTable::text("", "x.toml", "duty"), Catch::Contains("kuvio = \"duty/1\""));
  CHECK_THROWS_WITH(TomlTable::text("kuvio = \"recipe/1\"", "x.toml", "duty"),
                    Catch::Contains("recipe/1") && Catch::Contains("x.toml:1"));
  CHECK_THROWS_AS(TomlTable::text("kuvio = ", "x.toml", "duty"), Error);
  CHECK_THROWS_AS(TomlTable::file("/nonexistent/x.toml", "duty"), Error);
}

TEST_CASE("what is wrong is told with its file and line") {
  const TomlTable t = read("a = \"2 mA\"\n\nb = 5\nc = \"2 mV\"\n");
  CHECK(t.quantity("a", Dimension::current) == Approx(2e-3));
  CHECK_THROWS_WITH(t.quantity("b", Dimension::current),
                    Catch::Contains("plans/x.duty.toml:4") && Catch::Contains("b"));
  CHECK_THROWS_WITH(t.quantity("c", Dimension::current), Catch::Contains(":5"));
  CHECK_THROWS_AS(t.quantity("d", Dimension::current), Error);
  CHECK_FALSE(t.optional_quantity("d", Dimension::current));
  CHECK_THROWS_WITH(t.expect({"kuvio", "a", "b"}), Catch::Contains("c"));
  CHECK_THROWS_WITH(t.expect({"kuvio", "a", "b"}, {"c"}), Catch::Contains("not yet supported"));
  CHECK_NOTHROW(t.expect({"kuvio", "a", "b", "c"}));
}

TEST_CASE("tables, lists and truths are of their kind or refused") {
  const TomlTable t = read(
      "on = true\nnames = [\"a\", \"b\"]\nmixed = [\"a\", 1]\n[one]\nx = "
      "\"y\"\n[[many]]\n[[many]]\n");
  CHECK(t.boolean("on", false));
  CHECK(t.boolean("off", true));
  CHECK_THROWS_AS(t.boolean("names", false), Error);
  CHECK(t.strings("names") == std::vector<std::string>{"a", "b"});
  CHECK_THROWS_AS(t.strings("mixed"), Error);
  CHECK(t.table("one").string("x") == "y");
  CHECK_THROWS_AS(t.table("names"), Error);
  CHECK(t.tables("many").size() == 2);
  CHECK(t.tables("none").empty());
  CHECK_FALSE(t.optional_table("none"));
  CHECK(t.beside("cell.battery.toml") == "plans/cell.battery.toml");
  CHECK(t.beside("/abs/cell.battery.toml") == "/abs/cell.battery.toml");
}

TEST_CASE("keys nested a thousand deep are refused before they are read") {
  std::string deep = "a", brackets = "x = ";
  for (int i = 0; i < 5000; ++i) {
    deep += ".a";
    brackets += "[";
  }
  CHECK_THROWS_AS(formats::refuse_deep(deep + " = 1", "x.toml"), Error);
  CHECK_THROWS_AS(formats::refuse_deep("[" + deep + "]", "x.toml"), Error);
  CHECK_THROWS_AS(read(brackets), Error);  // the parser's own bound
  CHECK_NOTHROW(formats::refuse_deep("x = [[1, 2], [3]]", "x.toml"));
}
