// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/duty.h"

#include "studies/made_ledger.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>
#include <stdexcept>

using namespace kuvio;

namespace {
Ledger ledger_with(double busy_charge, double busy_s) {
  test::MadeCapture c;
  c.visit("Rest", 3e-6, 10, false);
  for (int i = 0; i < 3; ++i)
    c.visit("Work", busy_charge / busy_s, busy_s).visit("Rest", 3e-6, 10, i < 2);
  return test::ledger_of(c);
}
}  // namespace

TEST_CASE("the rest current fills only what the activities leave") {
  const FieldMean m = field_mean({"Rest", {{0.1, {"Work"}}}, {"Work"}}, ledger_with(1e-3, 2));
  CHECK(m.mean == Approx(0.1 * 1e-3 + 3e-6 * 0.8));
  CHECK(m.once_charge == Approx(1e-3));
  double sum = 0;
  for (const Share& s : m.shares) sum += s.current;
  CHECK(sum == Approx(m.mean));
}

TEST_CASE("activities that take more time than there is are an error, a missing state is no data") {
  CHECK_THROWS_AS(field_mean({"Rest", {{0.6, {"Work"}}}, {}}, ledger_with(1e-3, 2)),
                  std::domain_error);
  CHECK(field_mean({"Rest", {{0.1, {"Nowhere"}}}, {}}, ledger_with(1e-3, 2)).missing ==
        std::vector<std::string>{"Nowhere"});
}

TEST_CASE("a field mean's scatter is of what each round draws more than the rest would have") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  // Rest and round at one level: how long a round takes tells nothing.
  const auto at = [&](double rest, double work) {
    test::MadeCapture c;
    c.visit("Rest", rest, 10, false);
    for (int i = 0; i < 20; ++i)
      c.visit("Work", work, 1 + 0.3 * normal(random)).visit("Rest", rest, 10, i < 19);
    return field_mean({"Rest", {{0.02, {"Work"}}}, {}}, test::ledger_of(c)).mean_u.U;
  };
  CHECK(at(5e-3, 5e-3) < 1e-9);
  CHECK(at(10e-3, 1e-3) == Approx(2.09 * 0.02 * 9e-3 * 0.3 / std::sqrt(20.0)).epsilon(0.5));
}

TEST_CASE("rounds that followed one another without rest count like any other") {
  test::MadeCapture c;
  c.visit("Sleep", 3e-6, 30, false);
  for (int i = 0; i < 12; ++i) {
    if (i % 4 == 1) c.visit("Locate", 28e-3, 5 + 0.1 * i).visit("Uplink", 70e-3, 1.5);
    // The second uplink ends just when the timer wakes it.
    if (i % 4 == 1 && i != 5) c.visit("Sleep", 3e-6, 20);
    c.visit("Wake", 4e-3, 0.03 + 1e-4 * (i * 7 % 5)).visit("Sense", 0.8e-3, 0.8);
    c.visit("Sleep", 3e-6, 50, i < 11);
  }
  const Ledger ledger = test::ledger_of(c);
  const DutyPlan plan{
      "Sleep", {{1 / 60.0, {"Wake", "Sense"}}, {4 / 86400.0, {"Locate", "Uplink"}}}, {}};
  const FieldMean mean = field_mean(plan, ledger);
  const auto of = [&](const char* name) {
    for (const Component& x : mean.scatter) {
      if (x.name == std::string("spread of rounds of ") + name) return x;
    }
    throw std::logic_error("no such component");
  };
  // Three uplinks, by arithmetic: 28 mA over 5.1, 5.5 and 5.9 s, less the rest.
  CHECK(of("Locate, Uplink").freedom.value() == Approx(2));
  CHECK(of("Locate, Uplink").u ==
        Approx(4 / 86400.0 * (28e-3 - 3e-6) * 0.4 / std::sqrt(3.0)).epsilon(0.01));
  CHECK(of("Wake, Sense").freedom.value() > 5);
}

TEST_CASE("a length that the plan gives stands for the measured one") {
  const Ledger l = ledger_with(1e-3, 2);
  DutyPlan plan{"Rest", {{0.1, {"Work"}, {{"Work", 4}}}}, {}};
  CHECK(field_mean(plan, l).mean == Approx(0.1 * 4 * 0.5e-3 + 3e-6 * 0.6));
}
