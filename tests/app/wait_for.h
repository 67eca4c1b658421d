// SPDX-License-Identifier: GPL-3.0-or-later
// Waiting for the window, with patience: a shared machine may stand still for seconds, and that is
// no failure of what is tested. A wait that is fulfilled ends at once.
#pragma once

#include <QtTest/QTest>

namespace kuvio::test {

inline constexpr int kPatience = 40'000;  ///< ms

template <typename Done>
bool wait_for(Done done, int ms = kPatience) {
  return QTest::qWaitFor(done, ms);
}

}  // namespace kuvio::test
