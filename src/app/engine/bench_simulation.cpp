// SPDX-License-Identifier: GPL-3.0-or-later
// The simulated bench, run beside the window and connected to.

#include "acquire/simulated.h"
#include "app/engine/bench_control.h"
#include "app/engine/text.h"

#include <QCoreApplication>

#include <nlohmann/json.hpp>

namespace kuvio::app {

void BenchControl::startSimulated(const QString& build, quint64 seed, double speed, bool more) {
  if (recording()) return;
  disconnectAll();
  if (process_) {  // the one before ends in its own time
    process_->disconnect(this);
    connect(process_, &QProcess::finished, process_, &QObject::deleteLater);
    process_->kill();
  }
  process_ = new QProcess(this);
  connect(process_, &QProcess::readyReadStandardOutput, this, &BenchControl::readProcess);
  connect(process_, &QProcess::errorOccurred, this, [this](QProcess::ProcessError error) {
    if (error == QProcess::FailedToStart)
      emit failed(tr("Cannot start the simulated bench: %1 is missing.").arg(process_->program()));
  });
  process_->setProgram(QCoreApplication::applicationDirPath() + QStringLiteral("/kuvio-sim"));
  QStringList arguments{QStringLiteral("--seed"), QString::number(seed), QStringLiteral("--speed"),
                        QString::number(speed)};
  if (build == QLatin1String("perch")) {
    arguments << QStringLiteral("--device") << build;
  } else {
    arguments << QStringLiteral("--build") << build;
  }
  if (more)
    arguments << QStringLiteral("--stream") << QStringLiteral("tcp") << QStringLiteral("--meter");
  process_->setArguments(arguments);
  process_->setStandardErrorFile(QProcess::nullDevice());
  state_.phase = BenchState::Phase::connecting;
  process_->start();
  emit changed();
}

void BenchControl::readProcess() {
  if (!process_->canReadLine()) return;
  const auto endpoints = nlohmann::json::parse(process_->readLine().toStdString(), nullptr, false);
  if (!endpoints.is_object()) return;
  Wiring wiring;
  wiring.output = qs(endpoints.value("scpi", ""));
  wiring.log = qs(endpoints.value("log", ""));
  for (const char* other : {"stream", "meter", "lines", "hwmon", "iio"}) {
    if (endpoints.contains(other)) wiring.others << qs(endpoints.value(other, ""));
  }
  connectTo(wiring);
}

QString BenchControl::knownAccuracy() const {
  return QString::fromStdString(state_.output.identity).contains(QStringLiteral("Simulated"))
             ? QLatin1String(acquire::kSimulatedAccuracy)
             : QString();
}

}  // namespace kuvio::app
