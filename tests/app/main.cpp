// SPDX-License-Identifier: GPL-3.0-or-later
#define CATCH_CONFIG_RUNNER
#include "app/style/theme.h"

#include <QApplication>
#include <QStandardPaths>

#include <catch2/catch.hpp>

int main(int argc, char** argv) {
  QStandardPaths::setTestModeEnabled(true);
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("Kuvio tests"));
  QApplication::setOrganizationName(QStringLiteral("Kuvio"));
  kuvio::app::Theme::apply(kuvio::app::Theme::Kind::paper);
  return Catch::Session().run(argc, argv);
}
