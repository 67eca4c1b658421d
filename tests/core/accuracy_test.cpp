// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/accuracy.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <stdexcept>

using namespace kuvio;

TEST_CASE("an accuracy statement reads as it is written") {
  for (const char* text : {"0.08 % + 40 nA", "0.08 % + 40 nA (k=2)", "40 nA", "0.5 %", "2 % (k=2)"})
    CHECK(to_string(parse_accuracy(text)) ==
          to_string(parse_accuracy(to_string(parse_accuracy(text)))));
  const Accuracy a = parse_accuracy("± 0.08 % + 40 nA");
  CHECK(a.gain == Approx(8e-4));
  CHECK(a.offset == Approx(40e-9));
  CHECK_FALSE(a.expanded);
  CHECK(parse_accuracy("+-40 nA (k=2)").expanded);
  CHECK_FALSE(Accuracy{}.stated());
  for (const char* wrong : {"", "good", "0.08", "-1 %", "0.08 % + 40 nF", "1 % (k=3)", "nan %"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_accuracy(wrong), std::invalid_argument);
  }
}

TEST_CASE("an offset is stated in the unit of what it is of") {
  CHECK(parse_accuracy("0.1 % + 10 uV", Dimension::voltage).offset == Approx(10e-6));
  CHECK_THROWS_AS(parse_accuracy("0.1 % + 10 uV", Dimension::current), std::invalid_argument);
  CHECK_THROWS_AS(parse_accuracy("10 uA", Dimension::voltage), std::invalid_argument);
  CHECK(parse_accuracy("0.1 %", Dimension::voltage).gain ==
        parse_accuracy("0.1 %", Dimension::current).gain);
}

TEST_CASE("an accuracy is looked at with prefixes and few digits") {
  const auto words = [](const char* text) { return accuracy_words(text, Dimension::current); };
  CHECK(words("1.29099445 % + 0.000262431941 A (k=2)") == "1.29 % + 262\u2009µA (k=2)");
  CHECK(words("0.08 %") == "0.08 %");
  CHECK(words("40 nA") == "40.0\u2009nA");
  CHECK(words("0.2 % + 1 uA; up to 1 mA: 0.1 % + 10 nA") ==
        "0.2 % + 1.00\u2009µA; up to 1.00\u2009mA: 0.1 % + 10.0\u2009nA");
  CHECK(words("as the last one") == "as the last one");
}

TEST_CASE("a bound is a rectangle, an expanded uncertainty is halved") {
  const auto u = [](const char* text, double reading) {
    double squares = 0;
    for (const Component& c : accuracy_components(parse_accuracy(text), reading))
      squares += c.u * c.u;
    return std::sqrt(squares);
  };
  CHECK(u("1 %", 2.0) == Approx(0.02 / std::sqrt(3.0)));
  CHECK(u("1 %", -2.0) == Approx(0.02 / std::sqrt(3.0)));
  CHECK(u("1 % (k=2)", 2.0) == Approx(0.01));
  CHECK(u("3 uA", 0) == Approx(3e-6 / std::sqrt(3.0)));
  CHECK(u("3 uA + 1 %", 4e-4) == Approx(std::hypot(3e-6, 4e-6) / std::sqrt(3.0)));
  for (const Component& c : accuracy_components(parse_accuracy("1 % + 3 uA"), 1, 10))
    CHECK_FALSE(c.freedom);  // a statement has no degrees of freedom
}

TEST_CASE("errors of one instrument add up by weight, never by the root") {
  const Accuracy one = parse_accuracy("1 %");
  const Accuracy both = pooled_accuracy({{one, 1, 2e-3}, {one, 3, 4e-3}});
  CHECK(both.gain == Approx(0.01));
  CHECK(both.offset == Approx(0).margin(1e-15));
  // Half of the time on each of two instruments.
  const Accuracy mixed =
      pooled_accuracy({{parse_accuracy("2 uA"), 1, 1e-3}, {parse_accuracy("4 uA"), 1, 1e-3}});
  CHECK(mixed.offset == Approx(3e-6));
  CHECK_FALSE(mixed.expanded);
  // 2 uA at k = 2 is as much as a bound of the root of three uA.
  const Accuracy kinds =
      pooled_accuracy({{parse_accuracy("2 uA (k=2)"), 1, 0}, {parse_accuracy("0 A + 1 uA"), 0, 0}});
  CHECK((kinds.expanded ? kinds.offset / 2 : kinds.offset / std::sqrt(3.0)) == Approx(1e-6));
}

TEST_CASE("a statement with finer ranges holds by the reading") {
  const Accuracy a =
      parse_accuracy("0.2 % + 1 uA; up to 10 uA: 0.1 % + 1 nA; up to 1 mA: 0.1 % + 10 nA");
  REQUIRE(a.finer.size() == 2);
  CHECK(a.at(0.5) == Accuracy{0.002, 1e-6, false});
  CHECK(a.at(-5e-6) == Accuracy{0.001, 1e-9, false});
  CHECK(a.at(10e-6).offset == 1e-9);
  CHECK(a.at(11e-6) == Accuracy{0.001, 1e-8, false});
  const auto sum = [&](double reading) {
    double square = 0;
    for (const Component& c : accuracy_components(a, reading)) square += c.u * c.u;
    return std::sqrt(square);
  };
  CHECK(sum(5e-6) == Approx(std::hypot(5e-9, 1e-9) / std::sqrt(3.0)));
  CHECK(sum(0.1) == Approx(std::hypot(2e-4, 1e-6) / std::sqrt(3.0)));
  const Accuracy again = parse_accuracy(to_string(a, Dimension::current));
  REQUIRE(again.finer.size() == 2);
  for (const double reading : {1e-6, 1e-5, 1e-4, 0.1}) {
    CHECK(again.at(reading).gain == Approx(a.at(reading).gain));
    CHECK(again.at(reading).offset == Approx(a.at(reading).offset));
  }
  const Accuracy k2 = parse_accuracy("0.2 % + 1 uA; up to 1 mA: 0.1 % + 10 nA (k=2)");
  CHECK(k2.expanded);
  CHECK(k2.at(1e-6).expanded);
  CHECK(scaled(a, 10).at(50e-6) == Accuracy{0.001, 1e-8, false});
  // Of several captures each by the range that it was read in.
  const Accuracy pooled = pooled_accuracy({{a, 1, 5e-6}, {Accuracy{0.001, 1e-6, false}, 1, 5e-6}});
  CHECK(pooled.offset == Approx((1e-9 + 1e-6) / 2));
  CHECK(pooled_accuracy({{a, 1, 5e-6}, {a, 1, 0.1}}) == a);
  for (const char* wrong : {"0.2 %; 0.1 %", "0.2 %; up to 1 mA", "0.2 %; up to 1: 0.1 %",
                            "0.2 %; up to 0 A: 0.1 %", "0.2 %; up to 1 mA: x"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_accuracy(wrong), std::invalid_argument);
  }
}
