// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/logic_line.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <cstdio>
#include <string>

using namespace kuvio;
using book::levels_of_line;
using book::LineLevel;

namespace {

/// "high 1 to 3! low …": a mark behind each end that was seen.
std::string told(const Trace& line) {
  std::string out;
  for (const LineLevel& l : levels_of_line(line)) {
    char text[64];
    std::snprintf(text, sizeof text, "%s %g%s %g%s, ", l.high ? "high" : "low", l.from_s,
                  l.begins_seen ? "!" : "", l.to_s, l.ends_seen ? "!" : "");
    out += text;
  }
  return out;
}

MemoryTrace line(SampleKind kind = SampleKind::averaged) { return {kind, {1, 1}}; }

}  // namespace

TEST_CASE("a logic line has one level after another, and what is not seen is not said") {
  MemoryTrace one = line();
  one.append(0, 1, std::vector<double>{0, 0, 1, 1, 0, 1});
  CHECK(told(one) == "low 0 2!, high 2! 4!, low 4! 5!, high 5! 6, ");
  MemoryTrace gap = line();
  gap.append(0, 1, std::vector<double>{0, 1});
  gap.append(5, 1, std::vector<double>{1, 0});
  CHECK(told(gap) == "low 0 1!, high 1! 2, high 5 6!, low 6! 7, ");
  CHECK(told(line()).empty());
}

TEST_CASE("blocks that follow each other without a gap are one line, and an instant holds") {
  MemoryTrace instants = line(SampleKind::instant);
  instants.append(0, 1, std::vector<double>{0, 1});
  instants.append(2, 2, std::vector<double>{1, 0});  // another rate from here on
  CHECK(told(instants) == "low 0 1!, high 1! 4!, low 4! 6, ");
  MemoryTrace averaged = line();
  averaged.append(0, 1, std::vector<double>{0, 1});
  averaged.append(2, 2, std::vector<double>{0, 0});
  CHECK(told(averaged) == "low 0 1!, high 1! 2!, low 2! 6, ");
}

TEST_CASE("a line that floats has no level") {
  MemoryTrace floats = line();
  floats.append(0, 1, std::vector<double>{NAN, 1, 1, NAN, 0, 1, NAN});
  CHECK(told(floats) == "high 1 3, low 4 5!, high 5! 6, ");
}
