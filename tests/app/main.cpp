// SPDX-License-Identifier: GPL-3.0-or-later
#define CATCH_CONFIG_RUNNER
#include "app/style/theme.h"

#include <QApplication>
#include <QStandardPaths>
#include <QTemporaryDir>

#include <catch2/catch.hpp>

int main(int argc, char** argv) {
  // Its own home, so that several may run beside each other; offscreen, if nobody says otherwise.
  const QTemporaryDir home;
  qputenv("HOME", home.path().toUtf8());
  for (const char* place : {"XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"}) qunsetenv(place);
  qputenv("XDG_RUNTIME_DIR", home.path().toUtf8());
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QStandardPaths::setTestModeEnabled(true);
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("Kuvio tests"));
  QApplication::setOrganizationName(QStringLiteral("Kuvio"));
  kuvio::app::Theme::apply(kuvio::app::Theme::Kind::paper);
  return Catch::Session().run(argc, argv);
}
