// SPDX-License-Identifier: GPL-3.0-or-later
// A log taken apart by several threads is the log, line by line and in order.

#include "formats/log_blocks.h"

#include "core/error.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <random>

using namespace kuvio;
using namespace kuvio::formats;
namespace fs = std::filesystem;

namespace {

class LogFile {
public:
  explicit LogFile(const std::string& text) {
    path_ = (fs::temp_directory_path() / fmt::format("kuvio-blocks-{}.csv", ::getpid())).string();
    std::ofstream(path_, std::ios::binary) << text;
  }
  ~LogFile() { fs::remove(path_); }
  LogFile(const LogFile&) = delete;
  LogFile& operator=(const LogFile&) = delete;
  const std::string& path() const { return path_; }
  LogPlan plan() const { return plan_log(TextSource(path_, {}), {}, {}); }

private:
  std::string path_;
};

}  // namespace

TEST_CASE("every line comes once, in its order, from any number of parsers") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  std::string text = "time (s),current (mA)\n";
  constexpr int kRows = 200'000;
  std::vector<int> odd;  // rows that are not plain
  for (int i = 0; i < kRows; ++i) {
    const auto kind = random() % 1000;
    if (kind == 0) {
      text += "# a remark\n";
      --i;
    } else if (kind == 1) {
      odd.push_back(i);
      text += fmt::format("at {},what\n", i);
    } else {
      text +=
          fmt::format("{}.{:03},{}\n", i / 1000, i % 1000, kind == 2 ? "NaN" : std::to_string(i));
    }
  }
  const LogFile file(text);
  const LogPlan plan = file.plan();
  const unsigned parsers = GENERATE(1U, 2U, 7U);
  LogBlocks blocks(file.path(), file.path(), 22, plan, {}, parsers);
  std::int64_t lines = 0;
  int row = 0, blocks_seen = 0;
  std::size_t next_odd = 0;
  bool right = true;
  while (const RowBlock* block = blocks.next()) {
    ++blocks_seen;
    CHECK_FALSE(block->torn);
    std::size_t at = 0;
    const auto plain = [&](std::size_t to) {
      for (; at < to; ++at, ++row) {
        right &= block->moments()[at] == static_cast<std::int64_t>(row) * 1'000'000;
        const double value = block->channel(0)[at];
        right &= std::isnan(value) || value == row * 1e-3;
      }
    };
    for (const RowBlock::Left& left : block->left) {
      plain(left.row);
      right &= block->of(left.line) == fmt::format("at {},what", row) && odd[next_odd] == row;
      ++next_odd;
      ++row;
    }
    plain(block->rows());
    lines += block->lines;
  }
  CHECK(right);
  CHECK(row == kRows);
  CHECK(next_odd == odd.size());
  CHECK(blocks_seen > 3);
  CHECK(lines == std::count(text.begin(), text.end(), '\n') - 1);
  CHECK(blocks.share() == Approx(1));
}

TEST_CASE("blocks may be let go of before their end") {
  std::string text = "time (s),current (mA)\n";
  for (int i = 0; i < 300'000; ++i) text += fmt::format("{},1\n", i);
  const LogFile file(text);
  const LogPlan plan = file.plan();
  for (int taken = 0; taken < 3; ++taken) {
    LogBlocks blocks(file.path(), file.path(), 22, plan, {});
    for (int i = 0; i < taken; ++i) CHECK(blocks.next() != nullptr);
  }
}

TEST_CASE("a line without an end is torn, and one that never ends is handed on as it is") {
  const LogFile file("time (s),current (mA)\n0,1\n1,2\n2,");
  const LogPlan plan = file.plan();
  {
    LogBlocks blocks(file.path(), file.path(), 22, plan, {});
    const RowBlock* block = blocks.next();
    REQUIRE(block);
    CHECK(block->rows() == 2);
    CHECK_FALSE(block->torn);
    block = blocks.next();
    REQUIRE(block);
    CHECK(block->torn);
    REQUIRE(block->rows() == 1);  // an empty cell is no data
    CHECK(std::isnan(block->channel(0)[0]));
    CHECK(blocks.next() == nullptr);
    CHECK(blocks.next() == nullptr);
  }
  const LogFile endless("time (s),current (mA)\n0,1\n" + std::string(4 << 20, '7') + "\n");
  LogBlocks blocks(endless.path(), endless.path(), 22, plan, {});
  const RowBlock* block = blocks.next();
  REQUIRE(block);
  block = blocks.next();
  REQUIRE(block);
  REQUIRE(block->left.size() == 1);
  CHECK(block->of(block->left[0].line).size() > (1 << 20));
}

TEST_CASE("a file that is not there is said to be so") {
  const LogFile file("time (s),current (mA)\n0,1\n");
  const LogPlan plan = file.plan();
  CHECK_THROWS_AS(LogBlocks("gone", "/nowhere/gone.csv", 0, plan, {}), Error);
}
