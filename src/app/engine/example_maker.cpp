// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/example_maker.h"

#include "app/engine/places.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QProcess>

#include <utility>

namespace kuvio::app {

ExampleMaker::~ExampleMaker() {
  if (!process_) return;
  constexpr int kEndsWithinMs = 3000;
  process_->disconnect(this);
  process_->terminate();
  process_->waitForFinished(kEndsWithinMs);
}

QString ExampleMaker::usualPlace() {
  return documents_folder() + QStringLiteral("/Kuvio example.kuvio");
}

void ExampleMaker::make(const QString& path) {
  if (process_) return;
  if (QFileInfo::exists(path)) {
    emit made(path);
    return;
  }
  path_ = path;
  process_ = new QProcess(this);
  process_->setStandardOutputFile(QProcess::nullDevice());
  connect(process_, &QProcess::finished, this, [this](int code, QProcess::ExitStatus status) {
    end(code == 0 && status == QProcess::NormalExit);
  });
  connect(process_, &QProcess::errorOccurred, this, [this](QProcess::ProcessError error) {
    if (error == QProcess::FailedToStart) end(false);
  });
  emit working(tr("Recording the example"));
  process_->start(QCoreApplication::applicationDirPath() + QStringLiteral("/kuvio-cli"),
                  {QStringLiteral("demo"), path});
}

void ExampleMaker::end(bool good) {
  if (!process_) return;
  auto* process = std::exchange(process_, nullptr);
  process->disconnect(this);
  process->deleteLater();
  emit working(QString());
  if (good) {
    emit made(path_);
    return;
  }
  const QString said =
      QString::fromUtf8(process->readAllStandardError()).trimmed().section(QLatin1Char('\n'), -1);
  emit failed(tr("The example could not be made. %1")
                  .arg(said.isEmpty() ? tr("%1 is missing.").arg(process->program()) : said));
}

void ExampleMaker::cancel() {
  if (!process_) return;
  auto* process = std::exchange(process_, nullptr);
  process->disconnect(this);
  connect(process, &QProcess::finished, process, &QObject::deleteLater);
  process->terminate();
  emit working(QString());
}

}  // namespace kuvio::app
