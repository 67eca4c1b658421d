// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/rule_hints.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;

namespace {

StateRule rule(const char* name, double low, double high) {
  StateRule out;
  out.name = name;
  if (low > 0) out.level.low = low;
  if (high > 0) out.level.high = high;
  return out;
}

/// Time at three levels: 3 uA (90 %), 5 mA (4 %), 28 mA (6 %).
LevelHistogram levels() {
  LevelHistogram out;
  out.low = 1e-6;
  out.high = 1;
  out.share.assign(60, 0);  // ten bins a decade
  out.share[4] = 0.9;       // 2.5 to 3.2 uA
  out.share[37] = 0.04;     // 5 to 6.3 mA
  out.share[44] = 0.06;     // 25 to 32 mA
  return out;
}

}  // namespace

TEST_CASE("the first rule that a level enters takes it") {
  const std::vector<StateRule> rules{rule("Sleep", 0, 1e-3), rule("Busy", 1e-3, 0),
                                     rule("Locate", 20e-3, 40e-3)};
  CHECK(first_to_take(rules, 3e-6) == 0U);
  CHECK(first_to_take(rules, 28e-3) == 1U);
  CHECK_FALSE(first_to_take({rules[2]}, 3e-6));
}

TEST_CASE("a rule without visits says which rule takes its samples, or that there are none") {
  const std::vector<StateRule> rules{rule("Sleep", 0, 1e-3), rule("Busy", 1e-3, 0),
                                     rule("Locate", 20e-3, 40e-3), rule("Boom", 0.5, 0)};
  CHECK(taken_by(rules, levels(), 2) == 1U);
  CHECK(why_no_visits(rules, levels(), 2).startsWith(QStringLiteral("Busy")));
  CHECK(taken_by(rules, levels(), 0) == 0U);
  CHECK(why_no_visits(rules, levels(), 0).contains(QStringLiteral("too short")));
  CHECK_FALSE(taken_by(rules, levels(), 3));
  CHECK(why_no_visits(rules, levels(), 3).contains(QStringLiteral("No samples")));
  // Two rules before it share its band: the one that takes more of the time is named.
  const std::vector<StateRule> shared{rule("Middle", 4e-3, 10e-3), rule("Upper", 10e-3, 0),
                                      rule("All", 1e-3, 0)};
  CHECK(taken_by(shared, levels(), 2) == 1U);
  CHECK_FALSE(taken_by(shared, LevelHistogram{}, 2));
}

TEST_CASE("what a rule asks for beside its level is said in words") {
  StateRule r = rule("Uplink", 40e-3, 0);
  CHECK(asked_beside_level(r).isEmpty());
  r.begins = Anchor{Anchor::By::log, "^uplink", true, -2e-3};
  r.ends = Anchor{Anchor::By::logic, "radio_on", false, 0};
  r.must.peak_above = 0.15;
  r.must.longer_s = 1;
  r.after = {"Wake", "Locate"};
  const QString words = asked_beside_level(r);
  for (const char* part : {"begins at log line ^uplink −", "ends where radio_on falls",
                           "peak over 150", "at least 1", "after Wake or Locate"}) {
    CAPTURE(words.toStdString(), part);
    CHECK(words.contains(QString::fromUtf8(part)));
  }
}
