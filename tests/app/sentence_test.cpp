// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/sentence.h"

#include "app/engine/desk_views.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;

TEST_CASE("the sentence names who draws more, by how much, and what accounts for it") {
  BuildsView v;
  v.reference = "1.0";
  v.candidate = "1.1";
  v.reference_captures = v.candidate_captures = 1;
  v.field = true;
  Comparison& c = v.comparison;
  c.reference = v.reference;
  c.candidate = v.candidate;
  c.reference_mean = 45e-6;
  c.candidate_mean = 79e-6;
  c.of_builds = true;
  c.total.value = 34e-6;
  c.total.low = 33.7e-6;
  c.total.high = 34.3e-6;
  c.total.known = c.total.tested = true;
  c.total_conclusion = Conclusion::higher;
  CompareRow row;
  row.state = "Rest";
  row.reference_mean = 3e-6;
  row.candidate_mean = 38e-6;
  row.mean.value = 35e-6;
  row.mean.low = 34e-6;
  row.mean.high = 36e-6;
  row.mean.known = row.mean.tested = true;
  row.level_part = 34.3e-6;
  row.conclusion = Conclusion::higher;
  row.bridge = 34.3e-6;
  c.rows.push_back(row);
  study::LifeFigures a, b;
  a.life = 2.8 * 365.25 * 86400;
  b.life = 1.6 * 365.25 * 86400;
  v.reference_life = a;
  v.candidate_life = b;
  const Sentence s = sentence_of(v);
  CHECK(s.first ==
        QStringLiteral("In the field, 1.1 draws 34.00\u2009±\u20090.30\u2009µA more than 1.0."));
  CHECK_THAT(s.second.toStdString(), Catch::Contains("Rest adds 34.3\u2009µA") &&
                                         Catch::Contains("falls from 2.80") &&
                                         Catch::Contains("same conditions"));
  CHECK(shown_text(row, 4) == QStringLiteral("higher: 12.7 ×"));
  // What holds the weather common leads, the plain difference stands beside it.
  SameUse same;
  same.difference = c.total;
  same.difference.value = 34.2e-6;
  same.conclusion = Conclusion::higher;
  same.common = {{"Locate", false, 5.5, 6e-6}};
  c.same_use = same;
  const Sentence leads = sentence_of(v);
  CHECK(leads.first.toStdString() ==
        std::string("1.1 draws 34.20\u2009±\u20090.30\u2009µA more than 1.0 at the same "
                    "use (Rest +34.3\u2009µA)."));
  CHECK_THAT(leads.second.toStdString(),
             Catch::Contains("In the field, 1.1 draws 34.00") &&
                 Catch::Contains("Locate's length, no difference shown, could hide ± 6.0\u2009µA"));
  c.same_use.reset();
  c.of_builds = false;
  CHECK_THAT(sentence_of(v).second.toStdString(), Catch::Contains("holds within these captures"));
  c.total_conclusion = Conclusion::none;
  CHECK_THAT(sentence_of(v).first.toStdString(), Catch::Contains("no difference is shown"));
  c.total.known = false;
  CHECK_THAT(sentence_of(v).first.toStdString(), Catch::Contains("cannot be compared"));
}
