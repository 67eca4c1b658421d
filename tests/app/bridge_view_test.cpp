// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/bridge_view.h"

#include <catch2/catch.hpp>

using namespace kuvio::app;

TEST_CASE("a bridge's axis begins at zero unless its steps could not be seen so") {
  const BridgeAxis usual = bridge_axis(45e-6, 80e-6);
  CHECK_FALSE(usual.cut);
  CHECK(usual.foot == 0);
  CHECK(usual.top > 80e-6);
  const BridgeAxis cut = bridge_axis(860e-6, 866e-6);
  CHECK(cut.cut);
  CHECK(cut.foot > 0);
  CHECK(cut.foot < 860e-6);
  CHECK(cut.top > 866e-6);
  // A step of a third of what lies between takes a tenth of the height at least.
  CHECK(2e-6 / (cut.top - cut.foot) > 0.1);
  CHECK_FALSE(bridge_axis(5e-6, 5e-6).cut);  // nothing differs
  const BridgeAxis negative = bridge_axis(-3e-6, 5e-6);
  CHECK(negative.foot == -3e-6);
  CHECK_FALSE(negative.cut);
  CHECK(bridge_axis(-3e-6, -1e-6).top > 0);
}
