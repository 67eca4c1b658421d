// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/short_names.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio::app;

TEST_CASE("names that are short enough stay, long ones lose what they have in common") {
  CHECK(short_names({QStringLiteral("2.3.0"), QStringLiteral("2.4.0-rc1")}, 12) ==
        QStringList{QStringLiteral("2.3.0"), QStringLiteral("2.4.0-rc1")});
  CHECK(short_names({QStringLiteral("satchel-release-2.4.0-rc1"),
                     QStringLiteral("satchel-release-2.4.0-rc2")},
                    12) == QStringList{QStringLiteral("…2.4.0-rc1"), QStringLiteral("…2.4.0-rc2")});
  // No part is cut in two: "10" and "11" keep their tens.
  CHECK(short_names({QStringLiteral("a-very-long-name-build10"),
                     QStringLiteral("a-very-long-name-build11")},
                    12) == QStringList{QStringLiteral("…build10"), QStringLiteral("…build11")});
}

TEST_CASE("whatever the names, each is short and its own") {
  std::mt19937 random(4);
  for (int round = 0; round < 500; ++round) {
    const int most = 6 + static_cast<int>(random() % 20);
    QStringList names;
    const QString head = QString(static_cast<int>(random() % 40), QLatin1Char('h')) +
                         (random() % 2 ? QStringLiteral("-") : QString());
    for (int i = 0; i < 1 + static_cast<int>(random() % 20); ++i) {
      QString name = head;
      for (int k = static_cast<int>(random() % 30); k >= 0; --k)
        name += QLatin1Char("ab-."[random() % 4]);
      names << name;
    }
    names.removeDuplicates();
    const QStringList out = short_names(names, most);
    REQUIRE(out.size() == names.size());
    for (const QString& name : out) REQUIRE(name.size() <= most);
    QStringList different = out;
    different.removeDuplicates();
    INFO(out.join(QStringLiteral(" | ")).toStdString());
    REQUIRE(different.size() == out.size());
  }
}

TEST_CASE("where there is room what goes before the difference stays, and a common end goes") {
  CHECK(short_names({QStringLiteral("satchel-firmware-release-2.4.1-candidate"),
                     QStringLiteral("satchel-firmware-release-2.4.11-candidate")},
                    14) == QStringList{QStringLiteral("…2.4.1…"), QStringLiteral("…2.4.11…")});
}
