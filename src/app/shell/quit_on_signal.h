// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QSocketNotifier>

namespace kuvio::app {

/// Makes of SIGTERM, SIGINT and SIGHUP (the end of a desktop session, of a terminal) a signal of
/// Qt's in the interface thread. One at a time.
class QuitOnSignal : public QObject {
  Q_OBJECT
public:
  explicit QuitOnSignal(QObject* parent = nullptr);
  ~QuitOnSignal() override;

signals:
  void asked();

private:
  int ends_[2] = {-1, -1};
  QSocketNotifier* seen_ = nullptr;
};

}  // namespace kuvio::app
