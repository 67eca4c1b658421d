// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/edits.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

Visits ribbon() {
  return {{"Rest", 0, 10, false}, {"Wake", 10, 11, true},    {"Send", 11, 14, true},
          {"Rest", 14, 20, true}, {kMissing, 20, 22, false}, {"Rest", 22, 30, false}};
}

std::string text(const Visits& visits) {
  std::string out;
  for (const Visit& v : visits)
    out += v.state + (v.whole ? " " : "* ") + std::to_string(static_cast<int>(v.from_s)) + "-" +
           std::to_string(static_cast<int>(v.to_s)) + " ";
  return out;
}

EditResult apply(const std::vector<Edit>& edits) { return apply_edits(ribbon(), edits, 0.01); }

void covers(const Visits& before, const Visits& after) {
  REQUIRE_FALSE(after.empty());
  CHECK(after.front().from_s == before.front().from_s);
  CHECK(after.back().to_s == before.back().to_s);
  for (std::size_t i = 1; i < after.size(); ++i) CHECK(after[i].from_s == after[i - 1].to_s);
  for (const Visit& v : after) CHECK(v.to_s > v.from_s);
}

}  // namespace

TEST_CASE("an edge moves between its neighbours and no further") {
  CHECK(text(apply({{Edit::Kind::move, 14, 15, "", "Send", "Rest"}}).visits) ==
        "Rest* 0-10 Wake 10-11 Send 11-15 Rest* 15-20 Missing* 20-22 Rest* 22-30 ");
  const EditResult blocked = apply({{Edit::Kind::move, 11, 9, "", "Wake", "Send"}});
  REQUIRE(blocked.conflicts.size() == 1);
  CHECK_THAT(blocked.conflicts[0].why, Catch::Contains("neighbour"));
  CHECK(text(blocked.visits) == text(ribbon()));
}

TEST_CASE("an edge is found again where it has wandered a little, and told when it is gone") {
  Visits wandered = ribbon();
  wandered[2].to_s = wandered[3].from_s = 14.008;
  CHECK(apply_edits(wandered, {{Edit::Kind::move, 14, 15, "", "Send", "Rest"}}, 0.01)
            .conflicts.empty());
  wandered[2].to_s = wandered[3].from_s = 14.2;
  const EditResult gone =
      apply_edits(wandered, {{Edit::Kind::move, 14, 15, "", "Send", "Rest"}}, 0.01);
  REQUIRE(gone.conflicts.size() == 1);
  CHECK_THAT(gone.conflicts[0].why, Catch::Contains("no longer an edge from Send to Rest"));
}

TEST_CASE("a renamed visit joins a neighbour of the same state") {
  CHECK(text(apply({{Edit::Kind::rename, 10.5, 0, "Send", "Wake", ""}}).visits) ==
        "Rest* 0-10 Send 10-14 Rest 14-20 Missing* 20-22 Rest* 22-30 ");
  CHECK(text(apply({{Edit::Kind::rename, 10.5, 0, "Send", "Other", ""}}).visits) == text(ribbon()));
}

TEST_CASE("a whole state is renamed, Missing staying between") {
  CHECK(text(apply({{Edit::Kind::rename_state, 0, 0, "Sleep", "Rest", ""}}).visits) ==
        "Sleep* 0-10 Wake 10-11 Send 11-14 Sleep 14-20 Missing* 20-22 Sleep* 22-30 ");
}

TEST_CASE("a cut stays when something else is edited beside it") {
  const EditResult cut = apply({{Edit::Kind::cut, 12, 0, "", "Send", ""},
                                {Edit::Kind::rename, 10.5, 0, "Start", "Wake", ""}});
  CHECK(text(cut.visits) ==
        "Rest* 0-10 Start 10-11 Send 11-12 Send 12-14 Rest 14-20 Missing* 20-22 Rest* 22-30 ");
}

TEST_CASE("a visit that was cut off stays so when it is pinned, and is not cut at its begin") {
  const Edit cut{Edit::Kind::cut, 12, 0, "", "Send", ""};
  const std::string apart =
      "Rest* 0-10 Wake 10-11 Send 11-12 Send 12-14 Rest 14-20 Missing* 20-22 Rest* 22-30 ";
  for (const auto& [from, to] : {std::pair{11, 12}, {12, 14}}) {
    const Edit pin{
        Edit::Kind::assign, static_cast<double>(from), static_cast<double>(to), "Send", "", ""};
    CHECK(text(apply({cut, pin}).visits) == apart);
  }
  // A span that reaches over the cut is one visit, as is one that only comes to lie beside another.
  CHECK(text(apply({cut, {Edit::Kind::assign, 11, 14, "Send", "", ""}}).visits) == text(ribbon()));
  CHECK(text(apply({{Edit::Kind::assign, 10, 11, "Send", "", ""}}).visits) ==
        "Rest* 0-10 Send 10-14 Rest 14-20 Missing* 20-22 Rest* 22-30 ");
  const EditResult again = apply({cut, cut});
  CHECK(text(again.visits) == apart);
  REQUIRE(again.conflicts.size() == 1);
  CHECK(again.conflicts[0].why == "a visit begins there already");
}

TEST_CASE("two visits are joined as one of them") {
  CHECK(text(apply({{Edit::Kind::join, 11, 0, "Send", "Wake", "Send"}}).visits) ==
        "Rest* 0-10 Send 10-14 Rest 14-20 Missing* 20-22 Rest* 22-30 ");
}

TEST_CASE("a stretch is given to a state whatever stood there, but not what is missing") {
  CHECK(text(apply({{Edit::Kind::assign, 12, 24, "Odd", "", ""}}).visits) ==
        "Rest* 0-10 Wake 10-11 Send 11-12 Odd* 12-20 Missing* 20-22 Odd* 22-24 Rest* 24-30 ");
  CHECK(text(apply({{Edit::Kind::assign, 9, 12, "Send", "", ""}}).visits) ==
        "Rest* 0-9 Send 9-14 Rest 14-20 Missing* 20-22 Rest* 22-30 ");
  CHECK(apply({{Edit::Kind::assign, 20.5, 21.5, "Odd", "", ""}}).conflicts.size() == 1);
}

TEST_CASE("whatever is edited, visits cover the capture without overlap") {
  std::mt19937_64 random(7);
  std::uniform_real_distribution<double> at(-2, 32);
  const std::string states[] = {"Rest", "Wake", "Send", "Odd", kUnassigned};
  for (int round = 0; round < 300; ++round) {
    std::vector<Edit> edits;
    for (int i = 0; i < 12; ++i) {
      const Visits now = apply(edits).visits;
      Edit e;
      e.kind = static_cast<Edit::Kind>(random() % 6);
      const std::size_t k = 1 + random() % (now.size() - 1);
      e.at_s =
          e.kind == Edit::Kind::move || e.kind == Edit::Kind::join ? now[k].from_s : at(random);
      e.to_s = at(random);
      e.state = states[random() % 5];
      e.before = e.kind == Edit::Kind::move || e.kind == Edit::Kind::join ? now[k - 1].state
                                                                          : states[random() % 4];
      e.after = now[k].state;
      edits.push_back(e);
    }
    const EditResult out = apply(edits);
    covers(ribbon(), out.visits);
    double missing = 0;
    for (const Visit& v : out.visits) missing += v.state == kMissing ? v.length_s() : 0;
    CHECK(missing == Approx(2));
  }
}

TEST_CASE("a moment is laid on the nearest sample, and left alone in a gap") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 2, std::vector<double>(100, 1.0));     // 0 … 0.2 s
  trace.append(1000, 2, std::vector<double>(100, 1.0));  // 1 … 1.2 s
  CHECK(nearest_edge(trace, 0.0109) == Approx(0.010));
  CHECK(nearest_edge(trace, 0.0111) == Approx(0.012));
  CHECK(nearest_edge(trace, 0.2) == Approx(0.2));
  CHECK(nearest_edge(trace, 0.5) == 0.5);
  CHECK(nearest_edge(trace, 1.0009) == Approx(1.0));
}

TEST_CASE("kinds of edits have words of their own") {
  for (int k = 0; k < 6; ++k) {
    const auto kind = static_cast<Edit::Kind>(k);
    CHECK(edit_kind(to_string(kind)) == kind);
    Edit e;
    e.kind = kind;
    e.before = "Rest";
    e.state = "Send";
    CHECK_FALSE(describe(e).empty());
  }
  const Edit moved{Edit::Kind::move, 686.52, 685.986, "", "Rest", "Send"};
  CHECK(describe(moved) == "edge from Rest to Send moved from 686.520\u2009s to 685.986\u2009s");
  CHECK(describe(moved, [](double t) { return t > 686 ? "11:26.5" : "11:26.0"; }) ==
        "edge from Rest to Send moved from 11:26.5 to 11:26.0");
  CHECK_THROWS_AS(edit_kind("stretch"), std::invalid_argument);
}
