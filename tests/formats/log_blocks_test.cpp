// SPDX-License-Identifier: GPL-3.0-or-later
// A log taken apart by several threads is the log, line by line and in order.

#include "formats/log_blocks.h"

#include "core/error.h"
#include "formats/plain_number.h"
#include "formats/text_source.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <cstdlib>
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

/// A decimal number, by its digits.
struct Written {
  std::string text;
  double value = 0;       // by the standard library
  std::int64_t nano = 0;  // * 10^9, of nine digits either side at most
};

Written written(std::mt19937_64& random, char mark, unsigned most) {
  Written out;
  const auto digits = [&](std::uint64_t n) {
    std::string d;
    for (; n > 0; --n) d += static_cast<char>('0' + random() % 10);
    return d;
  };
  const std::string whole = digits(1 + random() % most), part = digits(random() % (most + 1));
  const bool negative = random() % 3 == 0;
  const std::string sign = negative ? "-" : "";
  out.text = sign + whole + (part.empty() ? "" : mark + part);
  out.value = std::strtod((sign + whole + (part.empty() ? "" : "." + part)).c_str(), nullptr);
  if (std::max(whole.size(), part.size()) > 9) return out;
  out.nano = std::stoll(whole + part + std::string(9 - part.size(), '0'));
  if (negative) out.nano = -out.nano;
  return out;
}

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

TEST_CASE("rows of short numbers among longer ones are what is written, to the bit and to the ns") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  std::size_t all = 0;
  for (int file_number = 0; file_number < 60; ++file_number) {
    const char mark = random() % 2 == 0 ? '.' : ',',
               between = mark == ',' ? ';' : ",;\t"[random() % 3];
    const std::string unit = random() % 2 == 0 ? "" : random() % 2 == 0 ? "mA" : " mA";
    const std::string end = random() % 2 == 0 ? "\n" : "\r\n";
    std::string text = fmt::format("time (s){0}current{1}{0}voltage (V){2}", between,
                                   unit.empty() ? " (mA)" : "", end);
    std::vector<Written> times, currents, voltages;
    for (int i = 0; i < 3000; ++i) {
      const unsigned most = random() % 20 == 0 ? 10 : 1 + random() % 8;
      times.push_back(written(random, mark, std::min(9U, most)));
      currents.push_back(written(random, mark, most));
      voltages.push_back(written(random, mark, most));
      text += times.back().text + between + currents.back().text + unit + between +
              voltages.back().text + end;
    }
    const LogFile file(text);
    LogPlan plan = file.plan();
    plan.dialect.marks = {mark, 0};
    REQUIRE(plan.channels.size() == 2);
    RowParser parser(plan, {});
    RowBlock block;
    const std::string rows = text.substr(text.find('\n') + 1);
    block.room.assign(rows.begin(), rows.end());
    block.room.resize(rows.size() + kReadBehind);
    block.text = {block.room.data(), rows.size()};
    parser.parse(block);
    REQUIRE(block.rows() + block.left.size() == times.size());
    // Times of more than nine places are for whoever knows the rows before.
    REQUIRE(block.left.empty());
    bool right = true;
    for (std::size_t i = 0; i < block.rows(); ++i) {
      right &= block.moments()[i] == times[i].nano;
      right &= block.channel(0)[i] == currents[i].value * 1e-3;
      right &= block.channel(1)[i] == voltages[i].value;
      if (!right)
        FAIL_CHECK(text.substr(0, 60) << " … row " << i << ": " << times[i].text << between
                                      << currents[i].text << between << voltages[i].text);
      if (!right) break;
    }
    all += block.rows();
  }
  CHECK(all == 60 * 3000);
}
