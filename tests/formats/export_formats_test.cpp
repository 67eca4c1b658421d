// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/export_formats.h"

#include "book/analysis.h"
#include "book/make.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <fstream>
#include <set>

using namespace kuvio;
using namespace kuvio::formats;

namespace {

/// A second at rest, half a second busy, three times; split unless asked not to.
struct Made {
  test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  book::CaptureInfo info;

  explicit Made(bool split = true) {
    book::CaptureWriter writer(book, {"three rounds", "1.0", {}, false}, {test::current_channel()});
    std::vector<double> values;
    for (int round = 0; round < 3; ++round) {
      values.insert(values.end(), 1000, 3e-6);
      values.insert(values.end(), 500, 20e-3);
    }
    writer.append(0, 0, 1, values);
    writer.finish("complete", false);
    if (split)
      book.save_split(1, book::split_capture(book, book.capture(1), test::two_levels(), "text"));
    info = book.capture(1);
  }
};

nlohmann::json document(const std::string& path) {
  std::ifstream in(path);
  return nlohmann::json::parse(in);
}

}  // namespace

TEST_CASE("every format of the table is found by its key and by the ending of a file") {
  std::set<std::string_view> keys, endings;
  for (const ExportFormat& f : export_formats()) {
    INFO(f.key);
    CHECK(keys.insert(f.key).second);
    CHECK(endings.insert(f.ending).second);
    CHECK(export_format(f.key) == &f);
    CHECK(export_format_of("/a/b." + std::string(f.ending)) == &f);
    CHECK(export_keys().find(f.key) != std::string::npos);
    CHECK_FALSE(f.words.empty());
  }
  CHECK(export_format("xls") == nullptr);
  CHECK(export_format_of("/csv") == nullptr);
  CHECK(export_format_of("/a.kuvio") == nullptr);
}

TEST_CASE("every format writes what lies between two moments, and says how much that was") {
  const Made made;
  const std::string csv = made.folder / "x.csv", json = made.folder / "x.json";
  const auto samples = export_format("csv")->write(csv, made.book, made.info, {{}, 0.5, 1.25, {}});
  CHECK(samples.rows == 751);
  CHECK(samples.columns == std::vector<std::string>{"I"});
  std::ifstream in(csv);
  std::string line;
  std::int64_t lines = 0;
  double charge = 0;
  while (std::getline(in, line)) {
    if (line.starts_with('#')) continue;
    if (lines++ > 0) charge += std::stod(line.substr(line.find(',') + 1)) * 1e-3;
  }
  CHECK(lines == samples.rows + 1);
  CHECK(charge == Approx(0.5 * 3e-6 + 0.251 * 20e-3));

  const auto visits = export_format("json")->write(json, made.book, made.info, {{}, 0.5, 1.25, {}});
  CHECK(visits.rows == 2);  // the rest that ends in it, and the burst that begins in it
  const auto read = document(json);
  CHECK(read["capture"] == "three rounds");
  REQUIRE(read["visits"].size() == 2);
  CHECK(read["visits"][0]["state"] == "Rest");
  CHECK(read["visits"][0]["charge_c"].get<double>() == Approx(3e-6));
  CHECK(read["visits"][1]["charge_c"].get<double>() == Approx(10e-3));
  CHECK(read["visits"][1]["whole"] == true);
  export_format("json")->write(json, made.book, made.info, {});
  const nlohmann::json whole = document(json);
  CHECK(whole["visits"].size() == 6);
  int busy = 0;
  for (const auto& row : whole["ledger"]["rows"]) {
    if (row["state"] != "Busy") continue;
    ++busy;
    CHECK(row["charge_c"].get<double>() == Approx(30e-3));
  }
  CHECK(busy == 1);
}

TEST_CASE("an export that cannot be made leaves no file") {
  const Made made(false);
  const std::string path = made.folder / "x.json";
  CHECK_THROWS_WITH(export_format("json")->write(path, made.book, made.info, {}),
                    Catch::Contains("not split"));
  CHECK_THROWS_AS(export_format("csv")->write(made.folder / "no/x.csv", made.book, made.info, {}),
                  Error);
  const auto never = [](double) { return false; };
  CHECK(export_format("csv")
            ->write(made.folder / "y.csv", made.book, made.info, {{}, {}, {}, never})
            .columns.empty());
  for (const std::string& file : made.folder.files()) CHECK(file.starts_with("b.kuvio"));
}
