// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusVariant>
#include <QObject>

namespace kuvio::app {

/// Whether the system wants dark windows, as the desktop portal reports it over D-Bus
/// (org.freedesktop.appearance color-scheme). Asked without waiting; where there is no portal it
/// never says anything.
class SystemColorScheme : public QObject {
  Q_OBJECT
public:
  explicit SystemColorScheme(const QDBusConnection& bus = QDBusConnection::sessionBus(),
                             QObject* parent = nullptr);

signals:
  void changed(bool dark);

private slots:
  void settingChanged(const QDBusMessage& message);

private:
  void take(const QVariant& value);
};

}  // namespace kuvio::app
