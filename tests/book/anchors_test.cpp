// SPDX-License-Identifier: GPL-3.0-or-later
// Rules that begin and end with the device's log, logic lines and operator's marks, in a book.

#include "book/anchors.h"

#include "book/analysis.h"
#include "book/capture_writer.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::book;

namespace {

/// A second at 1 mA, with a suite's lines, a logic line and marks.
struct Suite {
  test::Folder folder;
  Book book = Book::open(folder / "suite.kuvio", Book::Mode::create);
  CaptureInfo capture;

  Suite() {
    ChannelInfo current, line;
    current.name = "I";
    current.time_base = {1, 1000};
    line.name = "radio_on";
    line.quantity = Quantity::logic;
    line.unit = "";
    line.kind = SampleKind::instant;
    line.time_base = {1, 1000};
    CaptureWriter writer(book, {"suite", "1.0", {}, false}, {current, line});
    writer.append(0, 0, 1, std::vector<double>(1000, 1e-3));
    const std::vector<std::int64_t> times{0, 150, 250, 600, 650, 999};
    const std::vector<double> levels{0, 1, 0, 1, 0, 0};
    writer.append_times(1, times, levels, 1000, false);
    writer.log({0.1, false, "test alpha begins"});
    writer.log({0.3, false, "test beta begins"});
    writer.log({0.45, false, "test beta passed"});
    writer.log({0.5, false, "test alpha failed"});
    writer.log({0.7, false, "test Off begins"});
    writer.log({0.8, false, "test Off passed"});
    writer.event({EventKind::mark, 0.9, 0.91, "handled"});
    writer.finish("complete", false);
    capture = book.capture(writer.id());
  }
};

StateRule rule(const std::string& name, const Anchor& begins, std::optional<Anchor> ends = {}) {
  StateRule out;
  out.name = name;
  out.by_level = false;
  out.begins = begins;
  out.ends = std::move(ends);
  return out;
}

}  // namespace

TEST_CASE("a suite's log, a logic line and a mark make states") {
  const Suite suite;
  const Anchor test_begins{Anchor::By::log, R"(^test (?P<name>\w+) begins)", true, 0},
      test_ends{Anchor::By::log, R"(^test \w+ (passed|failed))", true, 0};
  Recipe recipe{
      "suite",
      "",
      {rule("test {name}", test_begins, test_ends), rule("{name}", test_begins, test_ends),
       rule("Radio", {Anchor::By::logic, "radio_on", true, 0.01},
            Anchor{Anchor::By::logic, "radio_on", false, 0}),
       rule("Handled", {Anchor::By::mark, "^hand", true, 0})}};
  const auto moments = moments_of(suite.book, suite.capture, recipe);
  REQUIRE(moments.size() == 4);
  REQUIRE(moments[0].begins.size() == 3);
  CHECK(moments[0].begins[0].name == "test alpha");
  CHECK(moments[0].begins[1].at_s == 0.3);
  CHECK(moments[1].begins[2].name == "Off (named)");
  CHECK(moments[0].ends.size() == 3);
  REQUIRE(moments[2].begins.size() == 2);
  CHECK(moments[2].begins[0].at_s == Approx(0.16));
  CHECK(moments[2].ends[1].at_s == Approx(0.65));
  REQUIRE(moments[3].begins.size() == 1);
  CHECK(moments[3].begins[0].at_s == 0.9);

  recipe.states.erase(recipe.states.begin() + 1);
  const ToldSplit told = told_split(suite.book, suite.capture, recipe, "");
  std::string all;
  for (const Visit& v : told.split.visits)
    all += v.state + " " + std::to_string(std::lround(v.from_s * 1000)) + ", ";
  CHECK(all ==
        "Unassigned 0, test alpha 100, Radio 160, test alpha 250, test beta 300, test alpha 450, "
        "Unassigned 500, Radio 610, Unassigned 650, test Off 700, Unassigned 800, Handled 900, ");
  REQUIRE(told.remarks.size() == 1);
  CHECK_THAT(told.remarks.front(), Catch::StartsWith("2 stretches began within another"));
}

TEST_CASE("a logic line that a capture lacks is told, as is an expression that is none") {
  const Suite suite;
  const Recipe recipe{"x", "", {rule("Radio", {Anchor::By::logic, "tx", true, 0})}};
  CHECK_THROWS_AS(split_capture(suite.book, suite.capture, recipe, ""), Error);
  const Recipe current{"x", "", {rule("Radio", {Anchor::By::logic, "I", true, 0})}};
  CHECK_THROWS_AS(split_capture(suite.book, suite.capture, current, ""), Error);
  CHECK_THROWS_AS(groups_of("(a"), std::invalid_argument);
  CHECK(groups_of("(?P<a>x)(?P<b>y)(z)") == std::set<std::string>{"a", "b"});
  CHECK(groups_in("{a} of {b_2} {3} {") == std::set<std::string>{"a", "b_2"});
}
