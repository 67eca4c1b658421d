// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/trusted_files.h"

#include <QFileInfo>
#include <QSettings>
#include <QStringList>

#include <filesystem>

namespace kuvio::app {
namespace {
const QString kKey = QStringLiteral("files/trusted");
constexpr int kMost = 500;
}  // namespace

void trust_file(const QString& path) {
  const QString real = QFileInfo(path).canonicalFilePath();
  if (real.isEmpty()) return;
  QSettings settings;
  QStringList files = settings.value(kKey).toStringList();
  files.removeAll(real);
  files.prepend(real);
  while (files.size() > kMost) files.removeLast();
  settings.setValue(kKey, files);
}

bool may_read(const QString& path, const QString& book_path) {
  namespace fs = std::filesystem;
  std::error_code failed;
  const fs::path real = fs::canonical(path.toStdString(), failed);
  if (failed || !fs::is_regular_file(real, failed)) return false;
  const fs::path folder = fs::canonical(book_path.toStdString(), failed).parent_path();
  const fs::path below = real.lexically_relative(folder);
  if (!failed && !below.empty() && *below.begin() != "..") return true;
  return QSettings().value(kKey).toStringList().contains(QString::fromStdString(real.string()));
}

}  // namespace kuvio::app
