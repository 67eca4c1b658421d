// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/phrases.h"

#include "core/budget.h"
#include "core/compare.h"
#include "core/number_text.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::formats;

namespace {

constexpr double kDay = 86400, kYear = 365.25 * kDay;

Difference difference(double value, double half, bool rejected) {
  Difference out;
  out.value = value;
  out.low = value - half;
  out.high = value + half;
  out.known = out.tested = true;
  out.rejected = rejected;
  return out;
}

Comparison with_lengths(std::vector<CommonLength> common, std::vector<std::string> own = {}) {
  Comparison c;
  c.reference = "old";
  c.candidate = "new";
  c.same_use = SameUse{difference(1e-6, 0.1e-6, true), Conclusion::higher, std::move(common),
                       std::move(own), 0};
  return c;
}

}  // namespace

TEST_CASE("a life's interval names its unit once where both ends share it") {
  CHECK(life_range(109 * kDay, 256 * kDay) == "109 … 256\u2009days");
  CHECK(life_range(300 * kDay, 2.1 * kYear) == "300\u2009days … 2.10\u2009years");
  CHECK(life_range(2.82 * kYear, {}) == "2.82\u2009years … unlimited");
  LifeInterval life;
  life.life = 167 * kDay;
  life.low = 109 * kDay;
  life.high = 256 * kDay;
  CHECK(life_text(life) == "167\u2009days (109 … 256\u2009days)");
  life.bounds.upper = true;  // a clipped current
  CHECK(life_text(life) == "≤ 167\u2009days (109 … 256\u2009days)");
}

TEST_CASE("a measured life is told with its own interval, other figures with ±") {
  Limit limit;
  limit.quantity = LimitQuantity::lifetime;
  limit.min = 2 * kYear;
  LimitResult r;
  r.limit = &limit;
  r.measured = 2.83 * kYear;
  r.U = 0.01 * kYear;
  r.low = 2.82 * kYear;
  r.high = 2.84 * kYear;
  CHECK(measured_text(r) == "2.83\u2009years (2.82 … 2.84\u2009years)");
  CHECK(limit_text(limit) == "≥ 2.00\u2009years");
  limit.quantity = LimitQuantity::peak_current;
  r.measured = 221.9e-3;
  r.U = 0.17e-3;
  r.bounds.lower = true;
  CHECK(measured_text(r) == "≥ 221.90\u2009±\u20090.17\u2009mA");
  r.measured.reset();
  CHECK(measured_text(r) == "≥ –");
}

TEST_CASE("what could hide in held lengths is told in one line, the most first") {
  const auto lines = common_length_lines(with_lengths({{"Wake", false, 0.03, 9.7e-9},
                                                       {"Store", false, 0.09, 107e-9},
                                                       {"Sense", false, 0.8, 1e-12},
                                                       {"Locate", true, 5.5, {}},
                                                       {"Boot", false, 1.2, {}}},
                                                      {"Linger"}));
  REQUIRE(lines.size() == 5);
  // Over a tenth of the figure's own uncertainty: 10 nA.
  CHECK(lines[0] == "Store's length, no difference shown, could hide ± 110\u2009nA");
  CHECK(lines[1].find("Boot") != std::string::npos);
  CHECK(lines[1].find("cannot be known from a single visit") != std::string::npos);
  CHECK(lines[2] == "Lengths given by the duty plan: Locate 5.500\u2009s");
  CHECK(lines[3] == "Lengths that differ count as the build's: Linger");
  CHECK(lines[4] == "Lengths held common, no difference shown: Wake, Sense");
  const auto two = common_length_lines(
      with_lengths({{"Wake", false, 0.03, 45e-9}, {"Store", false, 0.09, 107e-9}}));
  REQUIRE(two.size() == 1);
  CHECK(two[0] ==
        "Lengths that show no difference could hide ± 110\u2009nA in Store's, "
        "± 45\u2009nA in Wake's");
}

TEST_CASE("a comparison's table holds states of one side, says what was not tested, and no Off") {
  Comparison c;
  c.tests = 17;
  const auto row = [&](const char* state, std::optional<double> a, std::optional<double> b) {
    CompareRow r;
    r.state = state;
    r.reference_mean = a;
    r.candidate_mean = b;
    if (a && b) r.mean = difference(*b - *a, 1e-6, false);
    c.rows.push_back(r);
    return &c.rows.back();
  };
  row("Sleep", 3e-6, 38e-6)->mean.rejected = true;
  c.rows.back().conclusion = Conclusion::higher;
  row("Wake", 4e-3, 4.0015e-3);  // off zero, and one test of many
  row("Unassigned", 1e-3, 1e-3)->mean.tested = false;
  row("New", {}, 20e-3);
  row("Gone", 20e-3, {});
  row("Off", 24e-9, 24e-9);
  row("Missing", {}, {});
  const auto cells = comparison_cells(c);
  REQUIRE(cells.size() == 5);
  CHECK(cells[0].back() == "higher");
  CHECK(cells[1].back() == "not shown among 17 tests");
  CHECK(cells[2].back() == "not tested");
  CHECK(cells[3].front() == "New");
  CHECK(cells[3][1] == "–");
  CHECK(cells[3].back() == "candidate only");
  CHECK(cells[4].back() == "reference only");
  for (const auto& line : cells) CHECK(line.size() == 7);
}

TEST_CASE("what a plan leaves out is told with its share, and what follows from it") {
  CHECK(unnamed_text({}) == "");
  CHECK(unnamed_text({{"Boot", 0.004, 0.001}}) ==
        "The duty plan leaves out Boot: 0.4\u2009% of the charge, 0.1\u2009% of the time");
  CHECK(unnamed_text({{"Leak", 0.94, 0.12}}, "new") ==
        "The duty plan leaves out Leak: 94\u2009% of the charge, 12\u2009% of the time (new); "
        "so nothing is within");
}
