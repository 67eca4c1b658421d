// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/system_color_scheme.h"

#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>

namespace kuvio::app {
namespace {

const QString kService = QStringLiteral("org.freedesktop.portal.Desktop");
const QString kObject = QStringLiteral("/org/freedesktop/portal/desktop");
const QString kSettings = QStringLiteral("org.freedesktop.portal.Settings");
const QString kSpace = QStringLiteral("org.freedesktop.appearance");
const QString kKey = QStringLiteral("color-scheme");

}  // namespace

SystemColorScheme::SystemColorScheme(const QDBusConnection& given, QObject* parent)
    : QObject(parent) {
  QDBusConnection bus = given;
  if (!bus.isConnected()) return;
  // From any sender: to listen to one service alone Qt would first ask, and wait, for its owner.
  bus.connect(QString(), kObject, kSettings, QStringLiteral("SettingChanged"), this,
              SLOT(settingChanged(QDBusMessage)));
  QDBusMessage ask =
      QDBusMessage::createMethodCall(kService, kObject, kSettings, QStringLiteral("Read"));
  ask << kSpace << kKey;
  auto* watcher = new QDBusPendingCallWatcher(bus.asyncCall(ask), this);
  connect(watcher, &QDBusPendingCallWatcher::finished, this, [this, watcher] {
    const QDBusPendingReply<QDBusVariant> reply = *watcher;
    if (reply.isValid()) take(reply.value().variant());
    watcher->deleteLater();
  });
}

void SystemColorScheme::settingChanged(const QDBusMessage& message) {
  const QVariantList values = message.arguments();
  if (values.size() == 3 && values[0].toString() == kSpace && values[1].toString() == kKey)
    take(values[2]);
}

void SystemColorScheme::take(const QVariant& given) {
  // `Read` wraps the value once more than the signal does.
  QVariant value = given;
  while (value.canConvert<QDBusVariant>()) value = value.value<QDBusVariant>().variant();
  bool good = false;
  const uint scheme = value.toUInt(&good);
  if (good) emit changed(scheme == 1);  // 1: dark, 2: light, 0: no preference
}

}  // namespace kuvio::app
