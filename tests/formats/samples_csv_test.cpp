// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/samples_csv.h"

#include "core/error.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <sstream>

using namespace kuvio;
using formats::SampleColumn;
using formats::write_samples_csv;

namespace {

std::vector<std::string> lines_of(const std::string& path) {
  std::ifstream in(path);
  std::vector<std::string> out;
  for (std::string line; std::getline(in, line);) out.push_back(line);
  return out;
}

std::vector<double> cells(const std::string& line) {
  std::vector<double> out;
  std::stringstream in(line);
  for (std::string cell; std::getline(in, cell, ',');) out.push_back(std::stod(cell));
  return out;
}

}  // namespace

TEST_CASE("every sample of a random trace is written once and reads back to the bit") {
  const test::Folder folder;
  std::mt19937_64 random(31);
  for (int round = 0; round < 12; ++round) {
    const SampleKind kind = round % 2 ? SampleKind::instant : SampleKind::averaged;
    const MemoryTrace trace = test::random_trace(random, kind, round % 3 == 0);
    const std::string path = folder / "all.csv";
    const auto written =
        write_samples_csv(path, {{"I", "A", &trace}}, trace.from_s(), trace.to_s());
    CHECK(written.rows == trace.samples());
    std::vector<std::pair<double, double>> right;
    for (const Block& b : trace.blocks()) {
      std::vector<double> values(static_cast<std::size_t>(b.count));
      trace.read(b, 0, values);
      for (std::int64_t i = 0; i < b.count; ++i)
        right.emplace_back(trace.time_base().seconds(tick_of(trace, b, i)),
                           values[static_cast<std::size_t>(i)]);
    }
    std::size_t at = 0, gaps = 0;
    const auto lines = lines_of(path);
    REQUIRE(lines.front() == "time_s,I_A");
    for (std::size_t k = 1; k < lines.size(); ++k) {
      if (lines[k].front() == '#') {
        ++gaps;
        continue;
      }
      const auto row = cells(lines[k]);
      REQUIRE(at < right.size());
      REQUIRE(row.size() == 2);
      REQUIRE(row[0] == Approx(right[at].first).margin(5e-7));
      REQUIRE(row[1] == right[at].second);
      ++at;
    }
    CHECK(at == right.size());
    std::size_t between = 0;
    const auto blocks = trace.blocks();
    for (std::size_t b = 1; b < blocks.size(); ++b) between += blocks[b].start > blocks[b - 1].end;
    CHECK(gaps == between);
  }
}

TEST_CASE("channels on the same moments stand beside each other, others are left out by name") {
  const test::Folder folder;
  MemoryTrace a(SampleKind::averaged, {1, 1000}), b = a, shifted = a,
                                                  slower(SampleKind::averaged, {1, 100});
  const std::vector<double> values{1, 2, 3, 4};
  a.append(0, 1, values);
  b.append(0, 1, std::vector<double>{-1, -2, -3, -4});
  shifted.append(1, 1, values);
  slower.append(0, 1, values);
  const std::string path = folder / "x.csv";
  const auto written = write_samples_csv(
      path, {{"I", "A", &a}, {"late", "A", &shifted}, {"V,\"1\"", "V", &b}, {"slow", "", &slower}},
      0.001, 0.002);
  CHECK(written.columns == std::vector<std::string>{"I", "V,\"1\""});
  CHECK(written.left_out == std::vector<std::string>{"late", "slow"});
  CHECK(written.rows == 2);
  CHECK(lines_of(path) ==
        std::vector<std::string>{"time_s,I_A,V__1__V", "0.001000,2,-2", "0.002000,3,-3"});
}

TEST_CASE("gaps tell why: what was flagged in them") {
  const test::Folder folder;
  MemoryTrace trace(SampleKind::averaged, {1, 10});
  trace.append(0, 1, std::vector<double>{1});
  trace.append(3, 1, std::vector<double>{2});
  trace.append(9, 1, std::vector<double>{3});
  trace.flag({Flag::over_range, 0.1, 0.3, 2});
  trace.flag({Flag::range_change, 0.4, 0.9, 5});
  const std::string path = folder / "x.csv";
  write_samples_csv(path, {{"I", "A", &trace}}, 0, 1);
  const auto lines = lines_of(path);
  REQUIRE(lines.size() == 6);
  CHECK(lines[2] == "# gap from 0.1 to 0.3 s, over range");
  CHECK(lines[4] == "# gap from 0.4 to 0.9 s, while the range changed");
}

TEST_CASE("an export that is given up, or has no place, leaves what was there") {
  const test::Folder folder;
  const std::string path = folder.write("x.csv", "before");
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, std::vector<double>(100'000, 1.0));
  int asked = 0;
  double last = -1;
  const auto given_up = write_samples_csv(path, {{"I", "A", &trace}}, 0, 100, [&](double share) {
    CHECK(share >= last);
    last = share;
    return ++asked < 3;
  });
  CHECK(given_up.columns.empty());
  CHECK(asked == 3);
  CHECK(lines_of(path) == std::vector<std::string>{"before"});
  CHECK(folder.files() == std::vector<std::string>{"x.csv"});
  CHECK_THROWS_AS(write_samples_csv(folder / "no/x.csv", {{"I", "A", &trace}}, 0, 1), Error);
  CHECK_THROWS_AS(write_samples_csv(folder / ".", {{"I", "A", &trace}}, 0, 1), Error);
}

TEST_CASE("times have the digits that their time base needs") {
  const test::Folder folder;
  MemoryTrace audio(SampleKind::averaged, {1, 48'000}),
      nano(SampleKind::averaged, {1, 1'000'000'000});
  audio.append(1, 1, std::vector<double>{1});
  nano.append(123'456'789, 1, std::vector<double>{1});
  for (const auto& [trace, wanted] :
       {std::pair{&audio, "0.000020833333,1"}, {&nano, "0.123456789,1"}}) {
    const std::string path = folder / "x.csv";
    write_samples_csv(path, {{"I", "A", trace}}, 0, 1);
    CHECK(lines_of(path)[1] == wanted);
  }
}
