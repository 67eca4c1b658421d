// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/other_stays.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

namespace {

Recipe recipe_of(const std::vector<std::string>& names) {
  Recipe out;
  for (const std::string& name : names) {
    StateRule rule;
    rule.name = name;
    out.states.push_back(rule);
  }
  return out;
}

Visit visit(const char* state, double from, double to) {
  Visit out;
  out.state = state;
  out.from_s = from;
  out.to_s = to;
  return out;
}

}  // namespace

TEST_CASE(
    "a rule of another channel holds over those behind it in the file and under those before") {
  const Recipe recipe = recipe_of({"Send", "Radio", "Rest"});
  const Visits below{visit("Rest", 0, 4), visit("Send", 4, 6), visit("Rest", 6, 8),
                     visit(kMissing, 8, 9), visit(kUnassigned, 9, 12)};
  const auto over = stretches_of_others(below, recipe, {{1, 3, 7}, {1, 7.5, 10}, {1, 20, 30}});
  REQUIRE(over.size() == 4);
  CHECK((over[0].from_s == 3 && over[0].to_s == 4));
  CHECK((over[1].from_s == 6 && over[1].to_s == 7));
  CHECK((over[2].from_s == 7.5 && over[2].to_s == 8));
  CHECK((over[3].from_s == 9 && over[3].to_s == 10));
  for (const Over& o : over) CHECK(o.state == "Radio");
  CHECK(stretches_of_others(below, recipe, {}).empty());
  CHECK(stretches_of_others({}, recipe, {{1, 3, 7}}).empty());
}

TEST_CASE("a stay whose end nobody saw is not whole") {
  const Recipe recipe = recipe_of({"Radio", "Rest"});
  Visits visits{visit("Rest", 0, 2), visit("Radio", 2, 4), visit("Rest", 4, 6),
                visit("Radio", 6, 8), visit("Rest", 8, 9)};
  cut_unseen(visits, recipe, {{0, 2, 4, true, true}, {0, 6, 8, true, false}});
  CHECK(visits[1].whole);
  CHECK_FALSE(visits[3].whole);
  CHECK(visits[4].whole);
}

TEST_CASE("at each moment the first rule in the file that holds is the state") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  const auto upto = [&](int n) { return std::uniform_int_distribution(0, n)(chance); };
  const std::vector<std::string> names{"A", "B", "C", "D", "E"};
  const Recipe recipe = recipe_of(names);
  for (int run = 0; run < 500; ++run) {
    INFO("seed " << seed << ", run " << run);
    Visits below;
    for (int t = 0; t < 100;) {
      const int to = std::min(100, t + 1 + upto(15));
      const int which = upto(6);
      below.push_back(visit(which < 5    ? names[static_cast<std::size_t>(which)].c_str()
                            : which == 5 ? kMissing
                                         : kUnassigned,
                            t, to));
      t = to;
    }
    std::vector<FoundStay> stays;
    for (const int rule : {1, 3}) {
      for (int t = upto(20); t < 110; t += 1 + upto(20)) {
        const int from = t;
        t += 1 + upto(20);
        stays.push_back({rule, double(from), double(t)});
      }
    }
    const auto over = stretches_of_others(below, recipe, stays);
    for (std::size_t i = 1; i < over.size(); ++i) REQUIRE(over[i].from_s >= over[i - 1].to_s);
    for (int t = 0; t < 100; ++t) {
      const double at = t + 0.5;
      std::size_t own = 0;
      std::string was;
      for (const Visit& v : below) {
        if (at > v.from_s && at < v.to_s) was = v.state;
      }
      own = static_cast<std::size_t>(std::find(names.begin(), names.end(), was) - names.begin());
      std::size_t best = own;
      for (const FoundStay& s : stays) {
        if (at > s.from_s && at < s.to_s) best = std::min(best, static_cast<std::size_t>(s.rule));
      }
      const std::string right = was == kMissing || best == own ? "" : names[best];
      std::string found;
      for (const Over& o : over) {
        if (at > o.from_s && at < o.to_s) found = o.state;
      }
      REQUIRE(found == right);
    }
  }
}
