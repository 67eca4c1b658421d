// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit.h"

#include <catch2/catch.hpp>

#include <string>

using namespace kuvio;

namespace {

Visits of(const std::vector<std::string>& states) {
  Visits out;
  for (const std::string& s : states) {
    Visit v;
    v.state = s;
    v.from_s = static_cast<double>(out.size());
    v.to_s = v.from_s + 1;
    out.push_back(v);
  }
  return out;
}

}  // namespace

TEST_CASE("a visit is whole that nothing cut: no end, no gap, no switch before it was over") {
  const Visits v = of({"A", "B", kMissing, "B", "A", kOff, "A", "B", "A"});
  const bool whole[] = {false, false, true, false, false, true, true, true, false};
  for (std::size_t i = 0; i < v.size(); ++i) {
    INFO(i << " " << v[i].state);
    CHECK(is_whole(v, i) == whole[i]);
  }
  CHECK_FALSE(is_whole(of({"A"}), 0));
}

TEST_CASE("the states that every split knows are told from those of a recipe") {
  for (const char* s : {kOff, kUnassigned, kMissing}) CHECK(is_built_in_state(s));
  for (const char* s : {"off", "Hibernate", ""}) CHECK_FALSE(is_built_in_state(s));
}

TEST_CASE("a cell is empty where an edge lies on a sample") {
  CHECK(Cell{}.empty());
  CHECK(Cell{2, 2}.empty());
  CHECK_FALSE(Cell{2, 2.001}.empty());
}
