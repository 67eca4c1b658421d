// SPDX-License-Identifier: GPL-3.0-or-later
// A report's pictures, read back from their SVG.

#include "formats/svg_plot.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "book/make.h"
#include "core/compare.h"
#include "formats/palette.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <regex>

using namespace kuvio;
using namespace kuvio::formats;

namespace {

/// A capture with levels for a second each, split at 1 mA.
struct Plotted {
  test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);

  std::string of(const std::vector<double>& levels, const std::string& busy = "Busy") {
    book::CaptureWriter writer(book, {"c", "1.0", {}, false}, {test::current_channel()});
    std::vector<double> values;
    for (const double level : levels) values.insert(values.end(), 1000, level);
    writer.append(0, 0, 1, values);
    writer.finish("complete", false);
    Recipe recipe = test::two_levels();
    recipe.states[1].name = busy;
    book.save_split(writer.id(),
                    book::split_capture(book, book.capture(writer.id()), recipe, "text"));
    const auto split = book::load_split(book, book.capture(writer.id()));
    const Ledger ledger = make_ledger({{split.trace.get(), split.visits, split.basis()}});
    return trace_svg(split, ledger, {{"Rest", 0}, {busy, 1}}, "#123456");
  }
};

/// The heights of the curve's points.
std::vector<double> heights(const std::string& svg) {
  const auto at = svg.find("stroke=\"#123456\"");
  REQUIRE(at != std::string::npos);
  const auto begin = svg.rfind("<path d=\"", at);
  const std::string path = svg.substr(begin, at - begin);
  std::vector<double> out;
  static const std::regex point(R"([ML](-?[0-9.]+) (-?[0-9.]+))");
  for (std::sregex_iterator it(path.begin(), path.end(), point), end; it != end; ++it)
    out.push_back(std::stod((*it)[2]));
  return out;
}

struct Box {
  double x = 0, y = 0, width = 0, height = 0;
};
std::vector<Box> boxes(const std::string& svg) {
  std::vector<Box> out;
  static const std::regex box(
      R"re(<rect x="(-?[0-9.]+)" y="(-?[0-9.]+)" width="([0-9.]+)" height="([0-9.]+)")re");
  for (std::sregex_iterator it(svg.begin(), svg.end(), box), end; it != end; ++it)
    out.push_back(
        {std::stod((*it)[1]), std::stod((*it)[2]), std::stod((*it)[3]), std::stod((*it)[4])});
  return out;
}

}  // namespace

TEST_CASE("the trace of a report stays in its picture, whatever the current does") {
  Plotted p;
  const std::vector<std::vector<double>> traces{{3e-6, 20e-3, 3e-6}, {1e-3, 1e-3},   {0, 0},
                                                {-5e-3, -5e-3},      {20e-3, -5e-3}, {1e9, 1e-15},
                                                {-1e-9, 0, 1e-9},    {2e-2, 2e-2}};
  for (const auto& levels : traces) {
    INFO(levels.front() << " …");
    const std::string svg = p.of(levels);
    for (const double y : heights(svg)) {
      CHECK(y >= 11);
      CHECK(y <= 194);  // 12 to 192, and the pen's width
    }
    CHECK_THAT(svg, !Catch::Contains("nan") && !Catch::Contains("inf"));
  }
}

TEST_CASE("the lines of a report's trace are a decade each, and a current lies between its two") {
  Plotted p;
  const std::string svg = p.of({3e-6, 20e-3});
  // A line across the picture, then its label.
  static const std::regex ruled(
      R"re(<path d="M64 ([0-9.]+)h836" stroke="[^"]*"/><text [^>]*>([0-9]+)[^<0-9]*([\xc2\xb5munpk]*)A<)re");
  std::vector<double> lines;
  for (std::sregex_iterator it(svg.begin(), svg.end(), ruled), end; it != end; ++it)
    lines.push_back(std::stod((*it)[1]));
  REQUIRE(lines.size() == 6);  // 1 µA to 100 mA, from the foot up
  CHECK(lines.front() == Approx(192).margin(0.1));
  CHECK(lines.back() == Approx(12).margin(0.1));
  for (std::size_t i = 1; i < lines.size(); ++i)
    CHECK(lines[i - 1] - lines[i] == Approx(36).margin(0.2));
  // 3 µA stands log10(3) of a decade over 1 µA.
  CHECK(heights(svg).front() == Approx(192 - 36 * std::log10(3.0)).margin(0.3));
  CHECK(heights(svg).back() == Approx(12 + 36 * (1 - std::log10(2.0))).margin(0.9));
}

TEST_CASE("in a report's trace a higher current lies higher, and one that flows back below zero") {
  Plotted p;
  const auto up = heights(p.of({3e-6, 20e-3}));
  CHECK(up.front() > up.back() + 100);
  const auto both = heights(p.of({20e-3, -20e-3}));
  CHECK(both.front() < both.back() - 100);
  // Equal currents either way lie equally far from the middle.
  CHECK(both.front() - 12 == Approx(192 - both.back()).margin(2));
  CHECK_THAT(p.of({20e-3, -20e-3}), Catch::Contains("−") || Catch::Contains("-"));
}

TEST_CASE("names out of a book are text in a report's pictures, never markup") {
  Plotted p;
  const std::string svg = p.of({3e-6, 20e-3}, "<b>\"x\" & 'y'</b>");
  CHECK(svg.find("<b>") == std::string::npos);
  CHECK_THAT(svg, Catch::Contains("&lt;b&gt;"));
}

TEST_CASE("a bridge goes from one mean to the other, each step where the last one ended") {
  Comparison c;
  c.reference = "1.0";
  c.candidate = "1.1";
  c.reference_mean = 40e-6;
  c.candidate_mean = 70e-6;
  for (const auto& [state, step] :
       {std::pair{"A", 50e-6}, std::pair{"B", -25e-6}, std::pair{"C", 5e-6}, std::pair{"D", 0.0}}) {
    CompareRow row;
    row.state = state;
    row.bridge = step;
    c.rows.push_back(row);
  }
  const std::string svg = bridge_svg(c, {{"A", 0}, {"B", 1}, {"C", 2}});
  const auto all = boxes(svg);
  REQUIRE(all.size() == 5);  // two means, three steps: what is none is left out
  const double foot = all[0].y + all[0].height, per_ampere = all[0].height / 40e-6;
  const auto top = [&](const Box& b) { return (foot - b.y) / per_ampere; };
  const auto bottom = [&](const Box& b) { return (foot - b.y - b.height) / per_ampere; };
  CHECK(bottom(all[1]) == Approx(40e-6).margin(1e-6));
  CHECK(top(all[1]) == Approx(90e-6).margin(1e-6));
  CHECK(top(all[2]) == Approx(90e-6).margin(1e-6));
  CHECK(bottom(all[2]) == Approx(65e-6).margin(1e-6));
  CHECK(top(all[3]) == Approx(70e-6).margin(1e-6));
  CHECK(top(all[4]) == Approx(70e-6).margin(1e-6));
  for (std::size_t i = 1; i < all.size(); ++i) CHECK(all[i].x > all[i - 1].x + all[i - 1].width);
  // Nothing to stand on: no picture rather than a wrong one.
  c.reference_mean.reset();
  CHECK(bridge_svg(c, {}).empty());
}

TEST_CASE("a bridge that passes below zero stays in its picture, above its names") {
  Comparison c;
  c.reference_mean = 10e-6;
  c.candidate_mean = 15e-6;
  for (const double step : {-40e-6, 35e-6, 10e-6}) {
    CompareRow row;
    row.state = "S";
    row.bridge = step;
    c.rows.push_back(row);
  }
  for (const Box& b : boxes(bridge_svg(c, {{"S", 0}}))) {
    CHECK(b.y >= 12);
    CHECK(b.y + b.height <= 202);
  }
}
