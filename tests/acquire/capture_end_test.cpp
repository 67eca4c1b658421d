// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/capture_end.h"

#include <catch2/catch.hpp>

using namespace kuvio::acquire;

TEST_CASE("a charge ends a capture at the end of the sample that reaches it") {
  ChargeEnd end(1e-3);
  CHECK(end.wanted());
  for (int i = 0; i < 9; ++i) CHECK_FALSE(end.sample(0.1 * i, 0.1, 1e-3));
  CHECK_FALSE(end.sample(0.9, 0.1, 0.999e-3));
  const auto at = end.sample(1.0, 0.1, 1e-3);
  REQUIRE(at);
  CHECK(*at == Approx(1.1));
  CHECK(end.charge_c() == Approx(1.0999e-3));
}

TEST_CASE("charge counts in either direction, and what flowed back is taken off") {
  ChargeEnd in(1e-3);
  CHECK_FALSE(in.sample(0, 0.5, -1.5e-3));
  CHECK(in.sample(0.5, 0.5, -1.5e-3));
  ChargeEnd both(1e-3);
  for (int i = 0; i < 1000; ++i) CHECK_FALSE(both.sample(i, 1, i % 2 == 0 ? 0.9e-3 : -0.9e-3));
}

TEST_CASE("readings with times of their own stand for the time since the one before") {
  ChargeEnd end(2e-3);
  CHECK_FALSE(end.sample(0.5, 0, 1e-3));
  CHECK_FALSE(end.sample(1.75, 0, 1e-3));
  const auto at = end.sample(2, 0, 1e-3);
  REQUIRE(at);
  CHECK(*at == 2);
}

TEST_CASE("what is no data adds no charge, and its time is not given to the next reading") {
  ChargeEnd end(1);
  CHECK_FALSE(end.sample(0, 0.1, 0.5));
  CHECK_FALSE(end.sample(0.1, 0.1, std::nullopt));
  CHECK(end.charge_c() == Approx(0.05));
  ChargeEnd read(1);
  CHECK_FALSE(read.sample(1, 0, 0.5));
  CHECK_FALSE(read.sample(2, 0, std::nullopt));
  CHECK_FALSE(read.sample(2.5, 0, 0.5));
  CHECK(read.charge_c() == Approx(0.75));
  CHECK_FALSE(ChargeEnd(0).wanted());
}

TEST_CASE("an end is only ever brought forward, and says why") {
  CaptureEnd end(10);
  CHECK(end.reason() == "complete");
  end.bring_forward(12, "later");
  CHECK(end.at_s() == 10);
  CHECK(end.reason() == "complete");
  end.bring_forward(7, "a line");
  end.bring_forward(8, "a charge");
  CHECK(end.at_s() == 7);
  CHECK(end.reason() == "a line");
  CaptureEnd open(0);
  CHECK_FALSE(open.known());
  open.bring_forward(3, "a level");
  CHECK((open.known() && open.at_s() == 3));
}
