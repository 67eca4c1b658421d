// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/round_name.h"

#include <catch2/catch.hpp>

using namespace kuvio::app;

TEST_CASE("a round's states are read at a glance, however many there are") {
  CHECK(round_name({"Wake", "Sense", "Store"}) == QStringLiteral("Wake, Sense, Store"));
  CHECK(round_name({"State 2", "State 2", "State 2"}) == QStringLiteral("State 2 × 3"));
  CHECK(round_name({"A", "B", "B", "A"}) == QStringLiteral("A, B × 2, A"));
  CHECK(round_name({}).isEmpty());
  const std::vector<std::string> many{"A", "B", "C", "D", "E", "F"};
  CHECK(round_name(many) == QStringLiteral("A, B, … F, 6 states"));
  CHECK(round_states(many) == QStringLiteral("A, B, C, D, E, F"));
}
