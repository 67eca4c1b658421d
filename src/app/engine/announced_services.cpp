// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/announced_services.h"

#include "book/text.h"

#include <QDBusObjectPath>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>

#include <arpa/inet.h>

#include <algorithm>
#include <array>

namespace kuvio::app {
namespace {

const QString kService = QStringLiteral("org.freedesktop.Avahi");
const QString kServer = QStringLiteral("org.freedesktop.Avahi.Server");
const QString kBrowser = QStringLiteral("org.freedesktop.Avahi.ServiceBrowser");
const QString kType = QStringLiteral("_scpi-raw._tcp");
constexpr int kAny = -1;             // interface, protocol
constexpr std::size_t kMost = 64;    // of a network that announces without end
constexpr qsizetype kItem = 6;       // values of a browser's signal
constexpr qsizetype kResolved = 11;  // values of a resolved service

/// An address in numbers as an endpoint writes it, IPv6 in brackets; "" when it is none.
QString as_host(const QString& text) {
  const std::string numbers = text.toStdString();
  std::array<unsigned char, sizeof(in6_addr)> bytes{};
  if (::inet_pton(AF_INET, numbers.c_str(), bytes.data()) == 1) return text;
  if (::inet_pton(AF_INET6, numbers.c_str(), bytes.data()) == 1)
    return QStringLiteral("[%1]").arg(text);
  return {};
}

}  // namespace

AnnouncedServices::AnnouncedServices(const QDBusConnection& bus, QObject* parent)
    : QObject(parent), bus_(bus) {}

AnnouncedServices::~AnnouncedServices() {
  if (!browser_.isEmpty())
    bus_.send(QDBusMessage::createMethodCall(kService, browser_, kBrowser, QStringLiteral("Free")));
}

void AnnouncedServices::look() {
  if (looking_ || !bus_.isConnected()) return;
  looking_ = true;
  // Of whatever browser: what it finds at once may come before its own name does.
  bus_.connect(QString(), QString(), kBrowser, QStringLiteral("ItemNew"), this,
               SLOT(itemNew(QDBusMessage)));
  bus_.connect(QString(), QString(), kBrowser, QStringLiteral("ItemRemove"), this,
               SLOT(itemRemoved(QDBusMessage)));
  QDBusMessage ask = QDBusMessage::createMethodCall(kService, QStringLiteral("/"), kServer,
                                                    QStringLiteral("ServiceBrowserNew"));
  ask << kAny << kAny << kType << QString() << 0U;
  auto* watcher = new QDBusPendingCallWatcher(bus_.asyncCall(ask), this);
  connect(watcher, &QDBusPendingCallWatcher::finished, this, [this, watcher] {
    const QDBusPendingReply<QDBusObjectPath> reply = *watcher;
    if (reply.isValid()) {
      browser_ = reply.value().path();
    } else {
      looking_ = false;  // there is no Avahi; it is asked for again the next time
    }
    watcher->deleteLater();
  });
}

QString AnnouncedServices::key(const QVariantList& item) {
  QStringList parts;
  for (int i = 0; i < 5; ++i) parts << item[i].toString();
  return parts.join(QLatin1Char('\n'));
}

void AnnouncedServices::itemNew(const QDBusMessage& message) {
  const QVariantList item = message.arguments();
  if (item.size() != kItem || item[3].toString() != kType) return;
  if (std::find(keys_.begin(), keys_.end(), key(item)) != keys_.end() || all_.size() >= kMost)
    return;
  resolve(item);
}

void AnnouncedServices::itemRemoved(const QDBusMessage& message) {
  const QVariantList item = message.arguments();
  if (item.size() != kItem) return;
  const auto at = std::find(keys_.begin(), keys_.end(), key(item));
  if (at == keys_.end()) return;
  all_.erase(all_.begin() + (at - keys_.begin()));
  keys_.erase(at);
  emit changed();
}

void AnnouncedServices::resolve(const QVariantList& item) {
  QDBusMessage ask = QDBusMessage::createMethodCall(kService, QStringLiteral("/"), kServer,
                                                    QStringLiteral("ResolveService"));
  ask << item[0].toInt() << item[1].toInt() << item[2].toString() << item[3].toString()
      << item[4].toString() << kAny << 0U;
  auto* watcher = new QDBusPendingCallWatcher(bus_.asyncCall(ask), this);
  connect(watcher, &QDBusPendingCallWatcher::finished, this, [this, watcher, item] {
    watcher->deleteLater();
    const QVariantList found = watcher->reply().arguments();
    if (watcher->isError() || found.size() < kResolved) return;
    // Its address in numbers: names under .local are not resolved everywhere.
    const QString where = as_host(found[7].toString());
    const uint port = found[8].toUInt();
    if (where.isEmpty() || port == 0 || port > 65535) return;
    Announced one{QString::fromStdString(book::printable(item[2].toString().toStdString())),
                  QStringLiteral("scpi+tcp://%1:%2").arg(where).arg(port)};
    // One instrument is heard on every interface and protocol: it is listed once.
    const bool known = std::any_of(all_.begin(), all_.end(), [&](const Announced& a) {
      return a.name == one.name && a.address == one.address;
    });
    if (known || all_.size() >= kMost) return;
    all_.push_back(std::move(one));
    keys_.push_back(key(item));
    emit changed();
  });
}

}  // namespace kuvio::app
