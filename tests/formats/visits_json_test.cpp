// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/visits_json.h"

#include "book/analysis.h"
#include "book/make.h"
#include "core/error.h"
#include "core/sample.h"
#include "formats/export_formats.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <fstream>
#include <set>

using namespace kuvio;
using namespace kuvio::formats;

TEST_CASE("visits as JSON: those that touch the span, each with its own charge") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  book::CaptureWriter writer(book, {"r\xc3\xbcn \"1\"", "1.0", {}, false},
                             {test::current_channel()});
  std::vector<double> values;
  for (int round = 0; round < 3; ++round) {
    values.insert(values.end(), 1000, 3e-6);
    values.insert(values.end(), 500, 20e-3);
  }
  writer.append(0, 0, 1, values);
  writer.finish("complete", false);
  const std::string path = folder / "v.json";
  CHECK_THROWS_AS(export_visits(path, book, book.capture(1), {}), Error);
  CHECK_FALSE(std::ifstream(path).good());  // nothing half done
  book.save_split(1, book::split_capture(book, book.capture(1), test::two_levels(), "text"));
  const auto read = [&](std::optional<double> from, std::optional<double> to) {
    ExportRequest request;
    request.from_s = from;
    request.to_s = to;
    const Exported done = export_visits(path, book, book.capture(1), request);
    const auto document = nlohmann::json::parse(std::ifstream(path));
    CHECK(static_cast<std::int64_t>(document.at("visits").size()) == done.rows);
    return document;
  };
  const auto all = read({}, {});
  CHECK(all.at("capture") == "r\xc3\xbcn \"1\"");
  REQUIRE(all.at("visits").size() == 6);
  double charge = 0;
  for (const auto& v : all.at("visits")) charge += v.at("charge_c").get<double>();
  CHECK(charge == Approx(3 * (1.0 * 3e-6 + 0.5 * 20e-3)));
  CHECK(read(1.2, 1.3).at("visits").size() == 1);  // inside one
  CHECK(read(1.2, 1.6).at("visits").size() == 2);  // over an edge
  CHECK(read(1.5, 2.5).at("visits").size() == 1);  // from edge to edge
  CHECK(read(5.0, 9.0).at("visits").empty());
}

TEST_CASE("every reason for a sample that is none has words of its own") {
  std::set<std::string> words;
  for (const Flag f :
       {Flag::over_range, Flag::below_range, Flag::not_a_number, Flag::dropped, Flag::range_change})
    CHECK(words.insert(describe(f)).second);
  CHECK(std::string(describe(Flag::over_range)) == "over range");
}
