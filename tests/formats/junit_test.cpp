// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/junit.h"

#include "core/budget.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("a check in JUnit XML counts failures and errors apart") {
  Budget budget;
  budget.name = "a <b>";
  budget.limits.resize(3);
  for (Limit& l : budget.limits) l.max = 4e-6;
  CheckResult result;
  for (std::size_t i = 0; i < 3; ++i) {
    LimitResult r;
    r.limit = &budget.limits[i];
    if (i < 2) r.measured = 3.8e-5;
    r.verdict = i == 0 ? Verdict::outside : i == 1 ? Verdict::within : Verdict::no_data;
    result.limits.push_back(r);
  }
  const std::string xml = formats::junit_xml(budget, "rc1", result);
  CHECK_THAT(xml, Catch::Contains("tests=\"3\" failures=\"1\" errors=\"1\"") &&
                      Catch::Contains("a &lt;b&gt;"));
  CHECK_THAT(xml, Catch::Contains("<failure message=\"outside: 38.00") &&
                      Catch::Contains("<error message=\"no data"));
}
