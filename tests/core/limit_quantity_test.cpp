// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/limit_quantity.h"

#include <catch2/catch.hpp>

#include <set>
#include <string>

using namespace kuvio;

TEST_CASE("every quantity that can be limited has one line, its own key and a scope") {
  std::set<std::string_view> keys, names;
  int at = 0;
  for (const LimitQuantityInfo& q : limit_quantities()) {
    CHECK(static_cast<int>(q.id) == at++);
    CHECK(&info(q.id) == &q);
    CHECK(keys.insert(q.key).second);
    CHECK(names.insert(q.name).second);
    CHECK_FALSE(q.unit().empty());
    CHECK((q.fits(Scope::state) || q.fits(Scope::whole) || q.fits(Scope::field)));
    // What needs a battery lasts as long as it may, and only a field has one.
    CHECK(q.needs_battery == q.at_least);
    if (q.needs_battery) CHECK_FALSE(q.fits(Scope::state));
  }
  CHECK(keys.count("charge_per_visit") == 1);
}

TEST_CASE("every statistic has its key and its words") {
  std::set<std::string_view> keys;
  for (const StatisticInfo& s : statistics()) {
    CHECK(&info(s.id) == &s);
    CHECK(keys.insert(s.key).second);
    CHECK_FALSE(s.name.empty());
  }
  CHECK(keys == std::set<std::string_view>{"mean", "p95", "worst"});
}
