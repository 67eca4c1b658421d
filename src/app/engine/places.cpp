// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/places.h"

#include <QDir>
#include <QStandardPaths>

namespace kuvio::app {

QString documents_folder() {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation);
  return !folder.isEmpty() && QDir().mkpath(folder) ? folder : QDir::homePath();
}

}  // namespace kuvio::app
