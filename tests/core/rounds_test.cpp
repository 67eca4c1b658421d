// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rounds.h"

#include "studies/made_ledger.h"

#include <catch2/catch.hpp>

#include <deque>

using namespace kuvio;

namespace {

using States = std::vector<std::string>;

/// A capture that goes through the given rounds, a rest of 50 s before each and behind the last.
/// Rounds point into their ledger, so it is kept for as long as the tests run.
const Ledger& through(const std::vector<States>& rounds) {
  static std::deque<Ledger> kept;
  test::MadeCapture c;
  c.visit("Rest", 3e-6, 10, false).visit("Start", 1e-3, 1);
  for (const States& states : rounds) {
    c.visit("Rest", 3e-6, 50);
    for (const std::string& s : states) c.visit(s, s == "Send" ? 70e-3 : 5e-3, s == "Send" ? 2 : 1);
  }
  c.visit("Rest", 3e-6, 10, false);
  return kept.emplace_back(test::ledger_of(c));
}

std::vector<States> repeated(const States& states, int n) { return std::vector<States>(n, states); }

std::vector<States> with(std::vector<States> all, const std::vector<States>& more) {
  all.insert(all.end(), more.begin(), more.end());
  return all;
}

std::size_t number_of(const std::vector<RoundKind>& kinds, const States& states) {
  for (const RoundKind& k : kinds) {
    if (k.states == states) return k.rounds.size();
  }
  return 0;
}

}  // namespace

TEST_CASE("a round runs from one entry into the rest to the next, with the rest before it") {
  const auto rounds = rounds_of(through({{"Wake", "Send"}, {"Wake"}}), "Rest");
  REQUIRE(rounds.size() == 2);
  CHECK(rounds[0].states == States{"Wake", "Send"});
  CHECK(rounds[0].length == Approx(50 + 1 + 2));
  CHECK(rounds[0].charge == Approx(50 * 3e-6 + 5e-3 + 0.14));
  CHECK(rounds[1].states == States{"Wake"});
}

TEST_CASE("rounds are not joined over a gap, over Off, or from one capture to the next") {
  for (const char* between : {"Missing", "Off"}) {
    test::MadeCapture c;
    c.visit("Rest", 3e-6, 10, false).visit("Wake", 5e-3, 1).visit("Rest", 3e-6, 20);
    c.visit("Wake", 5e-3, 1, false).visit(between, 0, 30, false).visit("Send", 70e-3, 1, false);
    c.visit("Rest", 3e-6, 20).visit("Wake", 5e-3, 1).visit("Rest", 3e-6, 20, false);
    const auto rounds = rounds_of(test::ledger_of(c), "Rest");
    REQUIRE(rounds.size() == 1);
    CHECK(rounds[0].states == States{"Wake"});
  }
  std::vector<test::MadeCapture> two(2);
  for (test::MadeCapture& c : two) c.visit("Rest", 3e-6, 10, false).visit("Wake", 5e-3, 1, false);
  CHECK(rounds_of(test::ledger_of(two), "Rest").empty());
}

TEST_CASE("kinds are told apart by states and their order, the most frequent first") {
  const auto rounds =
      rounds_of(through(with(repeated({"Wake"}, 3), {{"Wake", "Send"}, {"Send", "Wake"}})), "Rest");
  const auto kinds = kinds_of(rounds);
  REQUIRE(kinds.size() == 3);
  CHECK(kinds[0].states == States{"Wake"});
  CHECK(kinds[0].rounds.size() == 3);
  CHECK(name_of(kinds[1].states) == "Wake, Send");
  CHECK(name_of({}) == "rest alone");
}

TEST_CASE("a coincidence of two rounds is taken apart, what goes through both as a rule is not") {
  // Twenty wakes by the timer, two sends, one send that a wake follows without rest.
  const auto met = rounds_of(
      through(with(repeated({"Wake"}, 20), {{"Send"}, {"Send"}, {"Send", "Wake"}})), "Rest");
  const auto simple = simple_kinds(met);
  CHECK(simple == std::vector<States>{{"Wake"}, {"Send"}});
  const auto apart = taken_apart(met, simple);
  CHECK(apart.size() == met.size() + 1);
  const auto kinds = kinds_of(apart);
  CHECK(number_of(kinds, {"Wake"}) == 21);
  CHECK(number_of(kinds, {"Send"}) == 3);
  // As a rule: a send and its acknowledgement, each of which failed once.
  const auto rule =
      rounds_of(through(with(repeated({"Send", "Wake"}, 20), {{"Send"}, {"Wake"}})), "Rest");
  CHECK(simple_kinds(rule).front() == States{"Send", "Wake"});
}

TEST_CASE(
    "a round of several goes to the part that holds most of its charge, if it is there once") {
  const auto met = rounds_of(through(with(repeated({"Wake"}, 20),
                                          {{"Send"}, {"Wake", "Send", "Wake"}, {"Send", "Send2"}})),
                             "Rest");
  const auto kinds = kinds_by_charge(met);
  CHECK(number_of(kinds, {"Wake"}) == 20);
  CHECK(number_of(kinds, {"Send"}) == 2);
  CHECK(number_of(kinds, {"Send", "Send2"}) == 1);  // no part of it was met alone
  // Two of the same in one round are no one of them.
  const auto twice = rounds_of(
      through(with(repeated({"Wake"}, 20), {{"Send"}, {"Send", "Wake", "Send"}})), "Rest");
  CHECK(number_of(kinds_by_charge(twice), {"Send", "Wake", "Send"}) == 1);
}

TEST_CASE("the longest part goes first, unless the rest could then not be told") {
  const std::vector<States> parts{{"A"}, {"A", "B"}, {"B", "C"}};
  const auto rounds = rounds_of(through({{"A", "B", "C"}, {"A", "B", "A"}, {"C", "A"}}), "Rest");
  const auto apart = taken_apart(rounds, parts);
  REQUIRE(apart.size() == 4);  // the last is left out: nothing begins with C
  CHECK(apart[0].states == States{"A"});
  CHECK(apart[1].states == States{"B", "C"});
  CHECK(apart[2].states == States{"A", "B"});
  CHECK(apart[3].states == States{"A"});
  CHECK(apart[1].charge == Approx(2 * 5e-3));
  CHECK(apart[1].length == Approx(2));
}
